import { useRef } from "react";
import type { Level } from "../../api/client";
import type { Context } from "../../commands";
import { bench } from "../../model/bench";
import { longestName, renamed, selectedThings } from "../../model/edits";
import type { Thing } from "../../model/things";
import { icons } from "../../ui/kinds";

/** A thing's row in the outliner while its name is typed. Where it is one of several that are selected, all get the name, with numbers. */
export function NameField({ level, thing, edit }: { level: Level; thing: Thing; edit: Context["edit"] }) {
  const Icon = icons[thing.kind];
  const selection = bench.get().selection;
  const ids = selectedThings(level, selection).some((t) => t.id === thing.id) ? selection : [thing.id];
  const count = selectedThings(level, ids).length;
  const isDone = useRef(false); // the field loses its focus after that
  function end(name: string) {
    if (isDone.current) return;
    isDone.current = true;
    bench.set({ renaming: null });
    const op = name !== thing.name && renamed(level, ids, name);
    if (op) edit(op);
  }
  return (
    <div className="flex h-full items-center gap-2 border-l-2 border-accent bg-[#38332a] px-2">
      <Icon size={13} className="shrink-0" />
      <input
        className="field !h-[22px] min-w-0 flex-1 !px-1"
        aria-label={count > 1 ? `Name of ${count} things` : `Name of ${thing.name}`}
        title={count > 1 ? `All ${count} get this name, with numbers. Enter names them, Esc leaves them` : "Enter names it, Esc leaves it"}
        maxLength={longestName - (count > 1 ? ` ${count}`.length : 0)}
        autoFocus
        defaultValue={thing.name}
        onFocus={(e) => e.target.select()}
        onBlur={(e) => end(e.target.value.trim())}
        onKeyDown={(e) => {
          if (e.key === "Enter") end(e.currentTarget.value.trim());
          if (e.key === "Escape") end(thing.name);
          e.stopPropagation();
        }}
      />
      {count > 1 && <span className="dim shrink-0">1–{count}</span>}
    </div>
  );
}

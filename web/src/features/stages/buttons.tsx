import { commandByID, keyLabel, type Context } from "../../commands";
import { icons } from "../../ui/kinds";
import type { Kind } from "../../model/things";

/** Commands as a grid of buttons, each with an icon where its thing has one. */
export function CommandGrid({ ids, context }: { ids: readonly (string | [string, Kind])[]; context: Context }) {
  return (
    <div className="grid grid-cols-2 gap-1 px-2">
      {ids.map((entry) => {
        const [id, kind] = typeof entry === "string" ? [entry, undefined] : entry;
        return <CommandTile key={id} id={id} kind={kind} context={context} />;
      })}
    </div>
  );
}

function CommandTile({ id, kind, context }: { id: string; kind: Kind | undefined; context: Context }) {
  const command = commandByID.get(id);
  if (!command) return null;
  const why = command.whyNot?.(context) ?? "";
  const on = command.isOn?.() ?? false;
  const Icon = kind ? icons[kind] : undefined;
  const key = command.keys?.[0];
  const words = (command.short ?? command.title.replace(/^(Place|Add) an? /, "")).replace(/^./, (c) => c.toUpperCase());
  return (
    <button
      className={`flex h-[26px] items-center gap-2 px-2 text-left disabled:opacity-40 ${on ? "bg-[#4a4a4a]" : "bg-base-300 hover:bg-[#3a3a3a]"}`}
      aria-pressed={command.isOn ? on : undefined}
      disabled={why !== ""}
      title={why || `${command.title}${key ? ` (${keyLabel(key)})` : ""}`}
      onClick={() => command.run(context)}
    >
      {Icon && <Icon size={13} className="shrink-0" />}
      <span className="truncate">{words}</span>
    </button>
  );
}

export function Group({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <div className="mb-2">
      <h3 className="dim px-3 pb-1 text-[11px]">{title}</h3>
      {children}
    </div>
  );
}

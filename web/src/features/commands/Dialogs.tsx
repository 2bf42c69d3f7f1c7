import { useMemo, useState } from "react";
import { Dialog, Input, ListBox, ListBoxItem, Modal, ModalOverlay, Autocomplete, SearchField } from "react-aria-components";
import { commands, keyLabel, matching, type Context, type Group } from "../../commands";
import { bench, useBench } from "../../model/bench";
import { repeat } from "../../model/edits";
import { search, zoneNameOf } from "../../model/find";
import type { Thing } from "../../model/things";
import { PasteSome } from "./PasteSome";
import { NumberField } from "../../ui/NumberField";

/** The dialogs that commands open: finding one, all keys, and repeating in rows. */
export function CommandDialogs({ context }: { context: Context }) {
  const dialog = useBench((s) => s.dialog);
  return (
    <ModalOverlay isOpen={dialog !== null && dialog !== "tour" && dialog !== "fit"} isDismissable onOpenChange={(open) => !open && bench.set({ dialog: null })} className="fixed inset-0 z-40 flex justify-center bg-black/50 pt-[7vh]">
      <Modal className="h-fit max-h-[86vh] outline-none">
        <Dialog aria-label={dialog === "keys" ? "All keys" : dialog === "repeat" ? "Repeat in rows" : dialog === "paste" ? "Paste which values" : "Find a command or a thing"} className="flex max-h-[86vh] flex-col border border-[#3a3a3a] bg-base-100 shadow-2xl outline-none">
          {dialog === "palette" && <Palette context={context} />}
          {dialog === "keys" && <Keys />}
          {dialog === "repeat" && <Repeat context={context} />}
          {dialog === "paste" && <PasteSome context={context} />}
        </Dialog>
      </Modal>
    </ModalOverlay>
  );
}

const close = () => bench.set({ dialog: null });

const mostThings = 30; // that are listed

/** What is found by words: something to do, or a thing of the level to select. */
type Found = { id: string; title: string; hint: string; press: string; off: boolean; run: () => void };

function foundBy(query: string, context: Context): Found[] {
  const does = matching(query).map((c): Found => {
    const why = c.whyNot?.(context) ?? "";
    return { id: c.id, title: c.title, hint: why, press: c.keys?.[0] ? keyLabel(c.keys[0]) : "", off: why !== "", run: () => c.run(context) };
  });
  const words = query.trim().toLowerCase();
  const things = words.length < 2 ? [] : search(context.level, words);
  const isCalled = (t: Thing) => t.name.toLowerCase() === words;
  const selects = (list: Thing[]) => list.slice(0, mostThings).map((t): Found => ({ id: `thing ${t.id}`, title: `Select ${t.name}`, hint: [t.kind, zoneNameOf(context.level, t)].filter(Boolean).join(", "), press: "", off: false, run: () => bench.select([t.id]) }));
  return [...selects(things.filter(isCalled)), ...does, ...selects(things.filter((t) => !isCalled(t)))];
}

/** Finds what to do, or a thing, by words; Enter does or selects it. */
function Palette({ context }: { context: Context }) {
  const [query, setQuery] = useState("");
  const found = useMemo(() => foundBy(query, context), [query, context]);
  const run = (id: string) => {
    close();
    found.find((f) => f.id === id)?.run();
  };
  return (
    <Autocomplete inputValue={query} onInputChange={setQuery}>
      <SearchField aria-label="Command or thing" autoFocus className="w-[460px] border-b border-[#101010] p-2">
        <Input className="field !h-8 w-full !text-[13px]" placeholder="What do you want to do, or to select?" onKeyDown={(e) => e.key === "Escape" && close()} />
      </SearchField>
      <ListBox aria-label="Commands and things" items={found} className="min-h-0 overflow-auto py-1 outline-none" onAction={(key) => run(String(key))} renderEmptyState={() => <p className="dim px-3 py-2">No command and nothing in the level has these words.</p>}>
        {(f) => <PaletteItem found={f} />}
      </ListBox>
    </Autocomplete>
  );
}

function PaletteItem({ found: f }: { found: Found }) {
  return (
    <ListBoxItem id={f.id} textValue={f.title} isDisabled={f.off} className="flex h-7 cursor-pointer items-center gap-3 px-3 data-[disabled]:cursor-default data-[disabled]:text-[#8a8a8a] data-[focused]:bg-[#3a3a3a] data-[hovered]:bg-base-300">
      <span className="flex-1 truncate">{f.title}</span>
      {f.hint && <span className="dim text-[11px]">{f.hint}</span>}
      {f.press && <kbd className="key">{f.press}</kbd>}
    </ListBoxItem>
  );
}

/** Every key, by groups. */
function Keys() {
  const groups = [...new Set(commands.map((c) => c.group))];
  return (
    <div className="overflow-auto p-4">
      <div className="columns-3 gap-8" style={{ width: 960, maxWidth: "92vw" }}>
        {groups.map((g) => (
          <KeyGroup key={g} group={g} />
        ))}
        <section className="mb-4 break-inside-avoid">
          <h3 className="mb-1 font-semibold">In the view</h3>
          {[
            ["Turn about", "Drag"],
            ["Look about", "Right drag"],
            ["Go nearer", "Wheel"],
            ["Fly, or walk", "W A S D Q E"],
            ["Add to the selection", "Shift click"],
            ["Select by a box", "Shift drag"],
            ["Select what is behind", "Alt click"],
            ["Off the grid while dragging", "Alt"],
            ["An exact number while dragging", "Type it"],
          ].map(([what, key]) => (
            <Row key={what} title={what!} keys={[key!]} />
          ))}
        </section>
      </div>
    </div>
  );
}

function KeyGroup({ group }: { group: Group }) {
  return (
    <section className="mb-4 break-inside-avoid">
      <h3 className="mb-1 font-semibold">{group}</h3>
      {commands
        .filter((c) => c.group === group && c.keys)
        .map((c) => (
          <Row key={c.id} title={c.title} keys={c.keys!.slice(0, 1).map(keyLabel)} />
        ))}
    </section>
  );
}

function Row({ title, keys }: { title: string; keys: readonly string[] }) {
  return (
    <p className="flex items-baseline gap-2 py-0.5">
      <span className="flex-1">{title}</span>
      {keys.map((k) => (
        <kbd key={k} className="key">
          {k}
        </kbd>
      ))}
    </p>
  );
}

/** How many times along each axis, and how far apart. */
function Repeat({ context }: { context: Context }) {
  const [counts, setCounts] = useState([3, 1, 1]);
  const [step, setStep] = useState([2, 2, 2]);
  const made = useMemo(() => repeat(context.level, context.selection, counts, step), [context, counts, step]);
  const put = (list: number[], i: number, v: number) => list.map((o, k) => (k === i ? v : o));
  return (
    <form
      className="w-72 p-4"
      onSubmit={(e) => {
        e.preventDefault();
        close();
        if (!made) return;
        context.edit(made.op);
        bench.select([...context.selection, ...made.ids]);
      }}
    >
      <h2 className="mb-2 font-semibold">Repeat in rows</h2>
      {["x", "y", "z"].map((axis, i) => (
        <div key={axis} className="mb-2">
          <NumberField label={`Along ${axis}`} unit="" min={1} max={100} step={1} value={counts[i]!} onCommit={(v) => setCounts(put(counts, i, Math.round(v)))} />
          <NumberField label={`Step ${axis}`} unit="m" step={0.5} value={step[i]!} onCommit={(v) => setStep(put(step, i, v))} />
        </div>
      ))}
      <button className="btn btn-primary btn-sm w-full" disabled={!made || made.ids.length > 1000}>
        {made ? `Add ${made.ids.length}` : "Add none"}
      </button>
    </form>
  );
}

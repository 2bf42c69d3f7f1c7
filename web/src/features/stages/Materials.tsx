import { Plus } from "lucide-react";
import type { Document, Schemas } from "../../api/client";
import type { Context } from "../../commands";
import { shortHex } from "../../engine/color";
import { freshID } from "../../model/apply";
import { bench, useBench } from "../../model/bench";

type Material = Schemas["Material"];

/** The materials as swatches. One that is picked up is put down with every click on a surface. */
export function MaterialSwatches({ doc, context }: { doc: Document; context: Context }) {
  const tool = useBench((s) => s.tool);
  const { materials } = doc.document;
  function add() {
    const id = freshID(context.level, "material");
    context.edit({ op: "add", part: "materials", entity: { id, name: `Material ${materials.length + 1}`, color: "#b4b4b4" }, label: "Add a material" });
  }
  return (
    <ul className="px-2">
      {materials.map((m) => (
        <MaterialRow key={m.id} material={m} context={context} held={tool.is === "paint" && tool.material === m.id} />
      ))}
      <li>
        <button className="btn btn-xs mt-1" disabled={!context.canEdit} onClick={add}>
          <Plus size={12} /> New material
        </button>
      </li>
    </ul>
  );
}

function MaterialRow({ material: m, context, held }: { material: Material; context: Context; held: boolean }) {
  return (
    <li className={`flex h-[26px] items-center gap-2 ${held ? "bg-[#38332a]" : "hover:bg-base-300"}`}>
      <input
        type="color"
        className="h-5 w-7 shrink-0 bg-transparent"
        aria-label={`Colour of ${m.name || m.id}`}
        disabled={!context.canEdit}
        value={shortHex(m.color)}
        onChange={(e) => context.edit({ op: "set", id: m.id, fields: { color: e.target.value }, label: `${m.name || m.id}: colour ${e.target.value}` }, `material ${m.id}`)}
      />
      <button
        className="min-w-0 flex-1 truncate text-left disabled:opacity-50"
        aria-pressed={held}
        disabled={!context.canEdit}
        title="Pick it up, then click surfaces. With Shift the whole block."
        onClick={() => bench.set({ tool: held ? { is: "select" } : { is: "paint", material: m.id, word: m.name || m.id } })}
      >
        {m.name || m.id}
        {m.emission > 0 && <span className="dim"> shines</span>}
        {m.two_sided && <span className="dim"> two-sided</span>}
      </button>
    </li>
  );
}

import { useEffect, useRef } from "react";
import { GitCompareArrows, Trash2 } from "lucide-react";
import type { Document, Mix } from "../../api/client";
import type { Context } from "../../commands";
import { bench, useBench } from "../../model/bench";
import { applyMix, keepMix } from "../../model/mixes";
import { notice } from "../../ui/messages";

type Props = { doc: Document; canEdit: boolean; edit: Context["edit"] };

/** States of all lights that were kept: to go back to, and to compare with. */
export function Mixes({ doc, canEdit, edit }: Props) {
  const { mixes } = doc.document;
  return (
    <section className="mt-1 border-t border-[#101010] pt-1" aria-label="Mixes">
      {mixes.length > 0 && <h3 className="dim">Mixes</h3>}
      <ul>
        {mixes.map((m) => (
          <MixRow key={m.id} mix={m} doc={doc} canEdit={canEdit} edit={edit} />
        ))}
      </ul>
      <Keep doc={doc} canEdit={canEdit} edit={edit} />
    </section>
  );
}

function MixRow({ mix: m, doc, canEdit, edit }: Props & { mix: Mix }) {
  const name = m.name || m.id;
  const op = applyMix(doc.document, m);
  const first = doc.document.viewpoints[0];
  return (
    <li className="row flex items-center gap-1">
      <button className="min-w-0 flex-1 truncate text-left hover:underline disabled:no-underline disabled:opacity-60" disabled={!canEdit || !op} title={op ? `Set the lights as in ${name}: ${op.steps!.length} are other now` : "The lights are as in this mix"} onClick={() => op && edit(op)}>
        {name}
        {!op && <span className="dim"> is on</span>}
      </button>
      <button className="dim grid h-6 w-5 place-items-center disabled:opacity-30" aria-label={`Compare with ${name}`} title="Compare with the lights as they are" disabled={!first || !op} onClick={() => first && bench.set({ comparing: { viewpoint: first.id, before: { mix: m.id }, words: `with the mix ${name}` } })}>
        <GitCompareArrows size={12} />
      </button>
      <button className="dim grid h-6 w-5 place-items-center hover:text-error disabled:opacity-30" aria-label={`Remove the mix ${name}`} disabled={!canEdit} onClick={() => edit({ op: "remove", id: m.id, label: `Remove the mix ${name}` })}>
        <Trash2 size={12} />
      </button>
    </li>
  );
}

/** Keeps the lights as they are under a name. */
function Keep({ doc, canEdit, edit }: Props) {
  const field = useRef<HTMLInputElement>(null);
  const naming = useBench((s) => s.namingMix);
  useEffect(() => {
    if (!naming) return;
    bench.set({ namingMix: false });
    field.current?.focus();
  }, [naming]);
  return (
    <form
      className="mt-1 flex gap-1"
      onSubmit={(e) => {
        e.preventDefault();
        const name = field.current?.value.trim();
        if (!name) return;
        edit(keepMix(doc.document, name));
        field.current!.value = "";
        notice(`Kept the mix ${name}.`);
      }}
    >
      <input ref={field} className="field" aria-label="Name of a new mix" placeholder="keep as…" maxLength={120} disabled={!canEdit} />
      <button className="btn btn-xs" disabled={!canEdit}>
        Keep
      </button>
    </form>
  );
}

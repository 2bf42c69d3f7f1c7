import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ArrowDownToLine, ArrowUpFromLine, GitBranchPlus } from "lucide-react";
import { Link } from "wouter";
import { api, take, type Document, type Schemas } from "../../api/client";
import type { Context } from "../../commands";
import { thingAt } from "../../model/things";
import { counted } from "../../ui/counted";
import { complain, endUndoOffers, notice } from "../../ui/messages";
import { Window } from "../../ui/Window";
import { usePlatforms } from "../data";
import { ChangeList } from "../presets/ChangeList";
import { clashName, Clashes } from "../presets/Clashes";
import { SmallShot } from "../presets/SmallShot";

type Variant = Schemas["VariantInfo"];
type Props = { doc: Document; context: Context; onApplied: () => void };

/** The variants of the level, or its original where it is one. */
export function Variants({ doc, context, onApplied }: Props) {
  const { id, parent, revision } = doc.level;
  const variants = useQuery({ queryKey: ["variants", parent || id, revision], queryFn: () => take(api.GET("/api/v1/levels/{id}/variants", { params: { path: { id } } })), placeholderData: (old) => old });
  const [making, setMaking] = useState(false);
  const [merging, setMerging] = useState<{ variant: Variant; into: "original" | "variant" } | null>(null);
  const items = variants.data?.items ?? [];
  const self = items.find((v) => v.level.id === id);
  return (
    <div className="px-3">
      {self && (
        <div className="mb-1">
          <p>
            A variant of{" "}
            <Link href={`/levels/${parent}`} className="underline">
              its original
            </Link>
            , {self.behind === 0 ? "with all of its changes" : `${counted(self.behind, "revision")} behind it`}
            {self.follows && ", which it follows by itself"}.
          </p>
          <div className="mt-1 flex gap-1">
            <button className="btn btn-xs" disabled={!context.canEdit} onClick={() => setMerging({ variant: self, into: "variant" })}>
              <ArrowDownToLine size={12} /> Take its changes
            </button>
            <button className="btn btn-xs" onClick={() => setMerging({ variant: self, into: "original" })}>
              <ArrowUpFromLine size={12} /> Give it ours
            </button>
          </div>
        </div>
      )}
      <ul aria-label="Variants">
        {items
          .filter((v) => v.level.id !== id)
          .map((v) => (
            <li key={v.level.id} className="row flex items-center gap-2">
              <Link href={`/levels/${v.level.id}`} className="min-w-0 flex-1 truncate underline">
                {v.level.variant}
              </Link>
              <span className="dim">{v.level.platform}</span>
              <span className="dim">{v.behind === 0 ? "" : `${v.behind} behind`}</span>
            </li>
          ))}
      </ul>
      {!parent && (
        <button className="btn btn-xs" disabled={!context.canEdit} onClick={() => setMaking(true)}>
          <GitBranchPlus size={12} /> New variant…
        </button>
      )}
      {making && <NewVariant doc={doc} onClose={() => setMaking(false)} />}
      {merging && <MergeDialog {...merging} doc={doc} onClose={() => setMerging(null)} onApplied={onApplied} />}
    </div>
  );
}

function NewVariant({ doc, onClose }: { doc: Document; onClose: () => void }) {
  const queries = useQueryClient();
  const platforms = usePlatforms();
  const [name, setName] = useState("");
  const [platform, setPlatform] = useState("");
  const [follows, setFollows] = useState(true);
  const make = useMutation({
    mutationFn: () => take(api.POST("/api/v1/levels/{id}/variants", { params: { path: { id: doc.level.id } }, body: { name, follows, ...(platform && { platform }) } })),
    onSuccess: async () => {
      notice(`Made the variant ${name}.`);
      await Promise.all([queries.invalidateQueries({ queryKey: ["variants"] }), queries.invalidateQueries({ queryKey: ["levels"] })]);
      onClose();
    },
  });
  return (
    <Window title="New variant" note="A level of its own that remembers this one: for a platform, or to try something. What differs is merged field by field." onClose={onClose}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
      >
        <input className="field mb-2" aria-label="Name of the variant" placeholder="name, such as for pockets" required maxLength={80} autoFocus value={name} onChange={(e) => setName(e.target.value)} />
        <select className="field mb-2" aria-label="Platform of the variant" value={platform} onChange={(e) => setPlatform(e.target.value)}>
          <option value="">for the same platform</option>
          {platforms.data?.items.map((p) => (
            <option key={p.ref} value={p.ref}>
              for {p.profile.title}
            </option>
          ))}
        </select>
        <label className="row mb-2 flex items-center gap-2">
          <input type="checkbox" className="checkbox checkbox-xs" checked={follows} onChange={(e) => setFollows(e.target.checked)} />
          What is changed here comes into it by itself
        </label>
        {make.isError && (
          <p className="mb-2 whitespace-pre-line text-error" role="alert">
            {make.error.message}
          </p>
        )}
        <button className="btn btn-primary btn-sm w-full" disabled={make.isPending}>
          Make it
        </button>
      </form>
    </Window>
  );
}

/** Brings a variant and its original together: what would change, and for each clash whose value holds. */
function MergeDialog({ variant, into, doc, onClose, onApplied }: { variant: Variant; into: "original" | "variant"; doc: Document; onClose: () => void; onApplied: () => void }) {
  const queries = useQueryClient();
  const [taken, setTaken] = useState<string[]>([]);
  const call = (dry: boolean) => take(api.POST("/api/v1/levels/{id}/merge", { params: { path: { id: variant.level.id } }, body: { into, take: taken, dry } }));
  const would = useQuery({ queryKey: ["merge", variant.level.id, into, taken, doc.level.revision], queryFn: () => call(true), placeholderData: (old) => old, gcTime: 0 });
  const merge = useMutation({
    mutationFn: () => call(false),
    onSuccess: async () => {
      endUndoOffers();
      notice("Merged. Undo on the level that was changed takes it back.");
      onApplied();
      await queries.invalidateQueries({ queryKey: ["variants"] });
      onClose();
    },
    onError: complain,
  });
  const [here, there] = into === "variant" ? ["the variant", "the original"] : ["the original", "the variant"];
  return (
    <Window title={into === "variant" ? "Take the original's changes" : "Give the original our changes"} note={`What was changed in ${there} since they last were one goes into ${here}.`} wide onClose={onClose}>
      {would.isPending && <p className="dim mb-3">Comparing…</p>}
      {would.isError && <p className="mb-3 text-error">{would.error.message}</p>}
      {would.data && (
        <>
          <div className="mb-3 grid grid-cols-2 gap-3">
            {[["the original", variant.original], ["the variant", variant.level.id]].map(([word, id]) => (
              <figure key={id}>
                <SmallShot large id={id!} revision={doc.level.revision} variant={{}} from={{}} alt={word!} />
                <figcaption className="dim">{word}</figcaption>
              </figure>
            ))}
          </div>
          <Clashes clashes={would.data.clashes} names={(thing) => thingAt(doc.document, thing)?.name ?? thing} taken={taken} setTaken={setTaken} here={here!} there={there!} />
          <ChangeList changes={would.data.changes} empty={`Nothing of ${here} would change.`} />
        </>
      )}
      <div className="flex justify-end gap-2">
        {(would.data?.clashes.length ?? 0) > 1 && (
          <button className="btn btn-ghost btn-sm" onClick={() => setTaken(would.data!.clashes.map(clashName))}>
            {there} for all
          </button>
        )}
        <button className="btn btn-ghost btn-sm" onClick={onClose}>
          Cancel
        </button>
        <button className="btn btn-primary btn-sm" disabled={!would.data || merge.isPending} onClick={() => merge.mutate()}>
          Merge
        </button>
      </div>
    </Window>
  );
}

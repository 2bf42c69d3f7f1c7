import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ArrowUpCircle, RotateCcw, Unlink } from "lucide-react";
import { api, take, type Document, type Schemas } from "../../api/client";
import type { Context } from "../../commands";
import { bench } from "../../model/bench";
import { pathWords, valueWords } from "../../model/changes";
import { thingAt } from "../../model/things";
import { counted } from "../../ui/counted";
import { complain, notice, noticeWithUndo } from "../../ui/messages";
import { Window } from "../../ui/Window";
import { ChangeList } from "./ChangeList";
import { clashName, Clashes } from "./Clashes";

type Origin = Schemas["Origin"];
type Props = { doc: Document; context: Context; onApplied: () => void; of?: (o: Origin) => boolean };

export function useOrigins(doc: Document) {
  const { id, revision } = doc.level;
  return useQuery({ queryKey: ["origins", id, revision], queryFn: () => take(api.GET("/api/v1/levels/{id}/origins", { params: { path: { id } } })), placeholderData: (old) => old });
}

/** Where parts of the level came from, what was changed since, and what is newer. */
export function Origins({ doc, context, onApplied, of }: Props) {
  const origins = useOrigins(doc);
  const [updating, setUpdating] = useState<string[] | null>(null);
  const items = (origins.data?.items ?? []).filter((o) => !of || of(o));
  const newer = items.filter((o) => (o.newest ?? 0) > o.version);
  if (origins.isError) return <p className="px-3 text-error">{origins.error.message}</p>;
  if (items.length === 0) return of ? null : <p className="dim px-3">Nothing of this level came from a preset.</p>;
  return (
    <div className="px-2">
      {newer.length > 0 && (
        <button className="btn btn-xs mb-1 w-full" disabled={!context.canEdit} onClick={() => setUpdating(newer.map((o) => o.id))}>
          <ArrowUpCircle size={12} /> {newer.length === 1 ? "A newer version is there" : `${newer.length} have newer versions`}…
        </button>
      )}
      <ul aria-label="From presets">
        {items.map((o) => (
          <OriginRow key={o.id} origin={o} doc={doc} context={context} onUpdate={() => setUpdating([o.id])} />
        ))}
      </ul>
      {updating && <UpdateDialog ids={updating} doc={doc} context={context} onClose={() => setUpdating(null)} onApplied={onApplied} />}
    </div>
  );
}

function OriginRow({ origin: o, doc, context, onUpdate }: { origin: Origin; doc: Document; context: Context; onUpdate: () => void }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const end = useMutation({
    mutationFn: () => take(api.DELETE("/api/v1/levels/{id}/origins/{origin}", { params: { path: { id: doc.level.id, origin: o.id } } })),
    onSuccess: () => {
      notice(`It follows ${o.preset} no more.`);
      return queries.invalidateQueries({ queryKey: ["origins", doc.level.id] });
    },
    onError: complain,
  });
  const rig = o.rig ? doc.document.rigs.find((r) => r.id === o.rig) : undefined;
  const what = o.rig ? rig?.name || o.rig : o.only?.join(", ") || o.kind;
  const newer = (o.newest ?? 0) > o.version;
  return (
    <li className="mb-0.5 bg-base-200 px-2 py-1">
      <div className="flex items-center gap-2">
        <button
          className="min-w-0 flex-1 truncate text-left"
          aria-expanded={open}
          title={`${o.preset}, version ${o.version}, taken in revision ${o.revision}`}
          onClick={() => {
            setOpen(!open);
            if (o.rig) bench.select([o.rig]);
          }}
        >
          {what}
          {o.zones?.length ? ` of ${o.zones.join(", ")}` : ""} <span className="dim">{`from ${o.preset}@${o.version}`}</span>
        </button>
        {newer && (
          <button className="btn btn-xs text-warning" disabled={!context.canEdit} title={`Version ${o.newest} is there`} aria-label={`Bring ${what} to version ${o.newest}`} onClick={onUpdate}>
            <ArrowUpCircle size={12} /> {o.newest}
          </button>
        )}
      </div>
      <p className="dim text-[11px]">{o.lost ? "the version is there no more" : o.changed.length === 0 ? "as it was taken" : `${counted(o.changed.length, "field")} changed since`}</p>
      {open && (
        <div className="mt-1">
          <ul>
            {o.changed.slice(0, 12).map((c) => (
              <li key={`${c.id} ${c.path}`} className="flex items-center gap-2">
                <span className="min-w-0 flex-1 truncate" title={`${valueWords(c.was)} to ${valueWords(c.is)}`}>
                  {c.id && `${thingAt(doc.document, c.id)?.name ?? c.id} `}
                  {c.path ? `${pathWords(c.path)}: ${valueWords(c.was)} → ${valueWords(c.is)}` : "removed"}
                </span>
                {c.path && (
                  <button className="btn btn-xs" disabled={!context.canEdit} aria-label={`Put ${pathWords(c.path)} back to the preset's`} title="Back to the preset's value" onClick={() => context.edit({ op: "set", ...(c.id && { id: c.id }), fields: { [c.path!]: c.was ?? null }, label: `Reset ${pathWords(c.path!)}` })}>
                    <RotateCcw size={11} />
                  </button>
                )}
              </li>
            ))}
            {o.changed.length > 12 && <li className="dim">and {o.changed.length - 12} more</li>}
          </ul>
          <button className="btn btn-xs mt-1" disabled={!context.canEdit || end.isPending} title="It keeps what it has, and is told of no newer version" onClick={() => end.mutate()}>
            <Unlink size={11} /> Make it the level's own
          </button>
        </div>
      )}
    </li>
  );
}

/** Takes newer versions: what would change, and for each clash whose value holds. */
function UpdateDialog({ ids, doc, context, onClose, onApplied }: { ids: string[]; doc: Document; context: Context; onClose: () => void; onApplied: () => void }) {
  const { id, revision } = doc.level;
  const queries = useQueryClient();
  const [taken, setTaken] = useState<string[]>([]);
  const would = useQuery({
    queryKey: ["update-origins", id, revision, ids, taken],
    queryFn: () => take(api.POST("/api/v1/levels/{id}/origins/update", { params: { path: { id } }, body: { ids, take: taken, dry: true } })),
    placeholderData: (old) => old,
    gcTime: 0,
  });
  const update = useMutation({
    mutationFn: () => take(api.POST("/api/v1/levels/{id}/origins/update", { params: { path: { id } }, body: { ids, take: taken } })),
    onSuccess: async (done) => {
      noticeWithUndo(`${counted(done.origins, "preset")} brought to the newest version.`, context.undo);
      onApplied();
      onClose();
      await queries.invalidateQueries({ queryKey: ["origins", id] });
    },
    onError: complain,
  });
  return (
    <Window title="Newer versions" note="What you changed since you took it stays. One undo takes all of it back." wide onClose={onClose}>
      {would.isPending && <p className="dim mb-3">Comparing…</p>}
      {would.isError && <p className="mb-3 text-error">{would.error.message}</p>}
      {would.data && (
        <>
          <Clashes clashes={would.data.clashes} names={(thing) => thingAt(doc.document, thing)?.name ?? thing} taken={taken} setTaken={setTaken} here="this level" there="the preset" />
          <ChangeList changes={would.data.changes} empty="Nothing of the level would change." />
        </>
      )}
      <div className="flex justify-end gap-2">
        {(would.data?.clashes.length ?? 0) > 1 && (
          <button className="btn btn-ghost btn-sm" onClick={() => setTaken(would.data!.clashes.map(clashName))}>
            The preset's for all
          </button>
        )}
        <button className="btn btn-ghost btn-sm" onClick={onClose}>
          Cancel
        </button>
        <button className="btn btn-primary btn-sm" disabled={!would.data || update.isPending} onClick={() => update.mutate()}>
          Take {ids.length === 1 ? "it" : "them"}
        </button>
      </div>
    </Window>
  );
}

import { useState } from "react";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { GitCompareArrows, RotateCcw } from "lucide-react";
import { api, take, type Change, type Document, type Revision } from "../../api/client";
import type { Context } from "../../commands";
import { changeWords } from "../../model/changes";
import { bench } from "../../model/bench";
import { complain, noticeWithUndo } from "../../ui/messages";
import { ago } from "../../ui/time";
import { SmallShot } from "../presets/SmallShot";

const page = 60;

/** What was changed, by whom, and when; with a way back to any of it. */
export function HistoryPanel({ doc, canEdit, undo }: { doc: Document; canEdit: boolean; undo: Context["undo"] }) {
  const { id, revision } = doc.level;
  const [chosen, choose] = useState<number | null>(null);
  const history = useInfiniteQuery({
    queryKey: ["history", id, revision],
    initialPageParam: 0,
    queryFn: ({ pageParam }) => take(api.GET("/api/v1/levels/{id}/revisions", { params: { path: { id }, query: { limit: page, before: pageParam } } })),
    getNextPageParam: (last) => (last.items.length > 0 && last.items.at(-1)!.number > 1 ? last.items.at(-1)!.number : undefined),
    placeholderData: (old) => old,
  });
  const items = history.data?.pages.flatMap((p) => p.items) ?? [];
  const revisionChosen = items.find((r) => r.number === chosen);
  return (
    <div className="flex h-full">
      <ol className="min-w-0 flex-1 overflow-auto" aria-label="Revisions">
        {items.map((r) => (
          <li key={r.number}>
            <button aria-pressed={chosen === r.number} className={`row flex w-full gap-3 border-b border-[#101010] px-3 py-1 text-left ${chosen === r.number ? "bg-[#38332a]" : "hover:bg-base-300"}`} onClick={() => choose(chosen === r.number ? null : r.number)}>
              <span className="dim w-10 text-right">{r.number}</span>
              <span className="min-w-0 flex-1 truncate">{r.label}</span>
              <span className="dim shrink-0">
                {r.author}, {ago(r.time)}
              </span>
            </button>
          </li>
        ))}
        {history.hasNextPage && (
          <li className="p-2">
            <button className="btn btn-xs" disabled={history.isFetchingNextPage} onClick={() => history.fetchNextPage()}>
              Earlier ones
            </button>
          </li>
        )}
      </ol>
      {revisionChosen ? <Back key={revisionChosen.number} doc={doc} revision={revisionChosen} canEdit={canEdit} undo={undo} /> : <p className="dim w-64 shrink-0 border-l border-[#101010] p-3">Choose a revision to see the level as it was, what has changed since, and to go back to it or to a thing of it.</p>}
    </div>
  );
}

/** A revision: its picture, what differs now, and the ways back. */
function Back({ doc, revision: r, canEdit, undo }: { doc: Document; revision: Revision; canEdit: boolean; undo: Context["undo"] }) {
  const { id, revision } = doc.level;
  const queries = useQueryClient();
  const changes = useQuery({ queryKey: ["changes", id, revision, r.number], queryFn: () => take(api.GET("/api/v1/levels/{id}/revisions/{number}/changes", { params: { path: { id, number: r.number } } })) });
  const restore = useMutation({
    mutationFn: (only: string[] | null) => take(api.POST("/api/v1/levels/{id}/restore", { params: { path: { id } }, body: { revision: r.number, ...(only ? { only } : {}) } })),
    onSuccess: (made) => {
      noticeWithUndo(`${made.label}.`, undo);
      return queries.invalidateQueries({ queryKey: ["level", id] });
    },
    onError: complain,
  });
  const items = changes.data?.items ?? [];
  const first = doc.document.viewpoints[0];
  return (
    <section className="flex min-w-0 flex-[1.4] gap-3 overflow-auto border-l border-[#101010] p-3" aria-label={`Revision ${r.number}`}>
      <div className="w-40 shrink-0">
        <SmallShot id={id} revision={revision} variant={{ revision: r.number }} from={{}} alt={`The level at revision ${r.number}`} />
        <button className="btn btn-xs mt-2 w-full" disabled={!first || items.length === 0} onClick={() => first && bench.set({ comparing: { viewpoint: first.id, before: { revision: r.number }, words: `at revision ${r.number}` } })}>
          <GitCompareArrows size={12} /> Compare
        </button>
        <button className="btn btn-xs mt-1 w-full" disabled={!canEdit || restore.isPending || items.length === 0} onClick={() => restore.mutate(null)}>
          <RotateCcw size={12} /> Restore all
        </button>
      </div>
      <div className="min-w-0 flex-1">
        {changes.isPending && <p className="dim">Comparing…</p>}
        {changes.isError && <p className="text-error">{changes.error.message}</p>}
        {changes.isSuccess && items.length === 0 && <p className="dim">The level is as it was then.</p>}
        {items.length > 0 && <p className="dim mb-1">Since then:</p>}
        <ul>
          {items.map((c) => (
            <ChangeRow key={`${c.part} ${c.id}`} change={c} disabled={!canEdit || restore.isPending} onRestore={() => restore.mutate([c.id ?? ""])} />
          ))}
        </ul>
      </div>
    </section>
  );
}

function ChangeRow({ change: c, disabled, onRestore }: { change: Change; disabled: boolean; onRestore: () => void }) {
  const words = changeWords(c);
  const name = c.id ? c.name : "Level";
  return (
    <li className="flex items-start gap-2 border-b border-[#101010] py-1">
      <span className="min-w-0 flex-1">
        <b>{name}</b>{" "}
        <span className="dim" title={words}>
          {words.length > 140 ? `${words.slice(0, 138)}…` : words}
        </span>
      </span>
      <button className="btn btn-xs" disabled={disabled} aria-label={`Restore ${name}`} title={c.kind === "add" ? "Take it out again" : c.kind === "remove" ? "Bring it back" : "Put its values back"} onClick={onRestore}>
        <RotateCcw size={11} />
      </button>
    </li>
  );
}

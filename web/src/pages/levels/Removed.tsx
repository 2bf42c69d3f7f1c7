import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type LevelInfo } from "../../api/client";
import { complain } from "../../ui/messages";
import { ago } from "../../ui/time";

export function useRemoved(): LevelInfo[] {
  const removed = useQuery({ queryKey: ["removed-levels"], queryFn: () => take(api.GET("/api/v1/removed-levels")), staleTime: 0 });
  return removed.data?.items ?? [];
}

/** Levels that were deleted in the last thirty days. */
export function Removed({ levels }: { levels: LevelInfo[] }) {
  const queries = useQueryClient();
  const again = () => Promise.all([queries.invalidateQueries({ queryKey: ["levels"] }), queries.invalidateQueries({ queryKey: ["removed-levels"] })]);
  const recover = useMutation({ mutationFn: (id: string) => take(api.POST("/api/v1/removed-levels/{id}/recover", { params: { path: { id } } })), onSuccess: again, onError: complain });
  const erase = useMutation({ mutationFn: (id: string) => take(api.DELETE("/api/v1/removed-levels/{id}", { params: { path: { id } } })), onSuccess: again, onError: complain });
  return (
    <section className="mb-5 border border-[#101010] bg-base-100 px-3 py-2" aria-label="Deleted levels">
      <p className="dim mb-1">Deleted levels are kept for 30 days, with their history.</p>
      <ul>
        {levels.map((l) => (
          <li key={l.id} className="row flex items-center gap-3">
            <span className="min-w-0 flex-1 truncate">{l.name}</span>
            <span className="dim">deleted {l.removed && ago(l.removed)}</span>
            <button className="btn btn-xs" disabled={recover.isPending} onClick={() => recover.mutate(l.id)}>
              Have it back
            </button>
            <button className="btn btn-ghost btn-xs" disabled={erase.isPending} onClick={() => confirm(`Delete ${l.name} and its ${l.revision} revisions for good?`) && erase.mutate(l.id)}>
              Delete for good
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

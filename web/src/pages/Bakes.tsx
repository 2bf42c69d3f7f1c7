import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ArrowUpToLine, RotateCw, X } from "lucide-react";
import { Link } from "wouter";
import { api, take, type Schemas } from "../api/client";
import { complain, notice } from "../ui/messages";
import { Shell } from "../ui/Shell";
import { ago } from "../ui/time";

const refreshMs = 2000;

/** Who bakes, what waits, and how bakes went. */
export function Bakes({ user, admin }: { user: string; admin: boolean }) {
  const workers = useQuery({ queryKey: ["workers"], queryFn: () => take(api.GET("/api/v1/workers")), refetchInterval: refreshMs });
  const bakes = useQuery({ queryKey: ["bakes"], queryFn: () => take(api.GET("/api/v1/bakes")), refetchInterval: refreshMs });
  return (
    <Shell user={user}>
      <h1 className="mb-4 text-lg font-semibold">Bakes</h1>
      {(workers.isError || bakes.isError) && <p role="alert">The service does not answer; it is asked again every two seconds.</p>}
      {workers.data && <Who workers={workers.data} admin={admin} />}
      {bakes.isPending ? <p className="dim">Reading…</p> : <History lines={bakes.data?.items ?? []} admin={admin} />}
    </Shell>
  );
}

function Who({ workers, admin }: { workers: Schemas["Workers"]; admin: boolean }) {
  const drain = useMutation({ mutationFn: (id: string) => take(api.POST("/api/v1/workers/{id}/drain", { params: { path: { id } } })), onError: complain });
  return (
    <section className="mb-6" aria-label="Workers">
      {!workers.cluster && <p className="dim">This service bakes by itself. With a cluster, other machines bake too.</p>}
      {workers.cluster && workers.items.length === 0 && <p role="status">No worker was heard of. Bakes wait for the first.</p>}
      {workers.items.length > 0 && (
        <table className="w-full [&_td]:py-1 [&_td]:pr-4 [&_th]:pr-4 [&_th]:text-left">
          <thead className="dim">
            <tr>
              {["Worker", "Machine", "Threads", "State", "Bakes", "Layers", "Sent", "Failed", "Busy", "Heard", ""].map((h) => (
                <th key={h}>{h}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {workers.items.map((w) => (
              <tr key={w.id} className={w.state === "gone" ? "dim" : undefined}>
                <td>{w.id}</td>
                <td>{w.host}</td>
                <td>{w.threads}</td>
                <td>{w.state}</td>
                <td className="max-w-60 truncate" title={w.now}>
                  {w.now ?? "–"}
                </td>
                <td>{w.layers}</td>
                <td>{(w.sent_bytes / 1e6).toFixed(1)} MB</td>
                <td>{w.failed}</td>
                <td>{w.busy_s.toFixed(0)} s</td>
                <td>{ago(w.seen)}</td>
                <td>
                  {admin && (w.state === "idle" || w.state === "works") && (
                    <button className="btn btn-xs" onClick={() => drain.mutate(w.id)} title="It ends after what it works on">
                      Drain
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {workers.queue.length > 0 && (
        <ul className="mt-3" aria-label="Queue">
          {workers.queue.map((q) => (
            <li key={q.user}>
              {q.user}: {q.now} on the queue that somebody waits for, {q.later} that can wait
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

const over = new Set(["done", "cancelled", "failed"]);

function History({ lines, admin }: { lines: readonly Schemas["BakeLine"][]; admin: boolean }) {
  const queries = useQueryClient();
  const changed = { onError: complain, onSettled: () => queries.invalidateQueries({ queryKey: ["bakes"] }) };
  const cancel = useMutation({ mutationFn: (id: string) => take(api.POST("/api/v1/bakes/{id}/cancel", { params: { path: { id } } })), ...changed });
  const first = useMutation({ mutationFn: (id: string) => take(api.POST("/api/v1/bakes/{id}/first", { params: { path: { id } } })), onSuccess: () => notice("It is done next."), ...changed });
  const again = useMutation({
    mutationFn: (b: Schemas["BakeLine"]) => take(api.POST("/api/v1/levels/{id}/bakes", { params: { path: { id: b.level } }, body: { quality: b.quality as "draft" | "good" | "final" } })),
    ...changed,
  });
  if (lines.length === 0) return <p className="dim">Nothing was baked yet. Open a level and choose Bake.</p>;
  return (
    <table className="w-full [&_td]:py-1 [&_td]:pr-4 [&_th]:pr-4 [&_th]:text-left" aria-label="Bakes so far">
      <thead className="dim">
        <tr>
          {["Level", "Revision", "Quality", "State", "Layers baked", "Took", "By", "When", ""].map((h) => (
            <th key={h}>{h}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {lines.map((b) => (
          <tr key={b.id}>
            <td className="max-w-72 truncate">
              <Link href={`/levels/${b.level}`} className="hover:underline">
                {b.level_name}
              </Link>
            </td>
            <td>{b.revision}</td>
            <td>{b.quality}</td>
            <td className="max-w-96" title={b.error}>
              {b.state}
              {!over.has(b.state) && ` · ${Math.round(b.done * 100)} %`}
              {(b.error ?? b.now) && <span className="dim"> · {b.error ?? b.now}</span>}
            </td>
            <td>
              {b.layers - b.reused} of {b.layers}
            </td>
            <td>{b.took_s ? `${b.took_s.toFixed(1)} s` : "–"}</td>
            <td>{b.author}</td>
            <td>{ago(b.created)}</td>
            <td className="whitespace-nowrap">
              {admin && !over.has(b.state) && (
                <button className="btn btn-xs" onClick={() => first.mutate(b.id)} title="Before all others">
                  <ArrowUpToLine size={12} /> First
                </button>
              )}
              {!over.has(b.state) && (
                <button className="btn btn-xs" onClick={() => cancel.mutate(b.id)}>
                  <X size={12} /> Cancel
                </button>
              )}
              {(b.state === "failed" || b.state === "cancelled") && (
                <button className="btn btn-xs" onClick={() => again.mutate(b)} title="Bakes the newest revision at the same quality">
                  <RotateCw size={12} /> Again
                </button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

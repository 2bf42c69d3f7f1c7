import { useState } from "react";
import { useInfiniteQuery } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { api, take, type Schemas } from "../../api/client";
import { useSettled } from "../../ui/useSettled";
import { Part } from "./Part";

type Entry = Schemas["AuditEntry"];
const page = 100;

/** Who did what on the service, for admins: filtered, and as a file. */
export function Audit() {
  const [who, setWho] = useState("");
  const [about, setAbout] = useState("");
  const wanted = useSettled(`${who}\n${about}`, 300);
  const [byWho, byAbout] = wanted.split("\n") as [string, string];
  const entries = useInfiniteQuery({
    queryKey: ["audit", wanted],
    staleTime: 0,
    initialPageParam: 0,
    queryFn: ({ pageParam }) => take(api.GET("/api/v1/audit", { params: { query: { limit: page, before: pageParam, ...(byWho && { who: byWho }), ...(byAbout && { about: byAbout }) } } })),
    getNextPageParam: (last) => (last.items.length === page ? last.items.at(-1)!.number : undefined),
    placeholderData: (old) => old,
  });
  const items = entries.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <Part title="Audit" wide note="What people may, who may see what, and what is made and removed. Edits of levels stand in their histories.">
      <div className="mb-2 flex gap-2">
        <input className="field !w-40" aria-label="By whom" placeholder="by whom" value={who} onChange={(e) => setWho(e.target.value)} />
        <input className="field !w-56" aria-label="About what" placeholder="about what" value={about} onChange={(e) => setAbout(e.target.value)} />
        <button className="btn btn-xs" disabled={items.length === 0} onClick={() => save(items)}>
          <Download size={12} /> As CSV
        </button>
      </div>
      {entries.isError && <p className="text-error">{entries.error.message}</p>}
      {entries.isSuccess && items.length === 0 && <p className="dim">Nothing of that.</p>}
      <div className="max-h-72 overflow-auto" tabIndex={0} role="region" aria-label="Entries">
        <table className="w-full">
          <tbody>
            {items.map((e) => (
              <tr key={e.number} className="row">
                <td className="dim whitespace-nowrap pr-3">{new Date(e.at).toLocaleString()}</td>
                <td className="pr-3">{e.who}</td>
                <td className="pr-3">{e.action.replaceAll("-", " ")}</td>
                <td className="dim break-all">{e.about}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {entries.hasNextPage && (
        <button className="btn btn-xs mt-2" disabled={entries.isFetchingNextPage} onClick={() => void entries.fetchNextPage()}>
          Earlier ones
        </button>
      )}
    </Part>
  );
}

/** A field of a CSV file (RFC 4180). One that a table program would take for a formula gets a quote. */
export function csvField(text: string): string {
  const safe = /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}

function save(entries: readonly Entry[]) {
  const rows = [["number", "at", "who", "action", "about"], ...entries.map((e) => [String(e.number), e.at, e.who, e.action, e.about ?? ""])];
  const a = document.createElement("a");
  a.href = URL.createObjectURL(new Blob([rows.map((r) => r.map(csvField).join(",")).join("\r\n") + "\r\n"], { type: "text/csv" }));
  a.download = "audit.csv";
  a.click();
  URL.revokeObjectURL(a.href);
}

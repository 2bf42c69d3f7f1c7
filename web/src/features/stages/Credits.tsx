import { useQuery } from "@tanstack/react-query";
import { Clipboard, Download } from "lucide-react";
import { api, take, type Document } from "../../api/client";
import { notice } from "../../ui/messages";
import { Window } from "../../ui/Window";

/** Whom to name for what a level shows, and whether each may be shared. */
export function Credits({ doc, onClose }: { doc: Document; onClose: () => void }) {
  const { id, revision, name } = doc.level;
  const credits = useQuery({ queryKey: ["credits", id, revision], queryFn: () => take(api.GET("/api/v1/levels/{id}/credits", { params: { path: { id } } })) });
  const items = credits.data?.items ?? [];
  const text = credits.data?.text ?? "";
  return (
    <Window title={`Credits of ${name}`} note="Images, profiles and presets, with whom to name and their licence. Give an image both in the inspector." wide onClose={onClose}>
      {credits.isPending && <p className="dim">Reading…</p>}
      {credits.isError && <p className="text-error">{credits.error.message}</p>}
      {credits.isSuccess && items.length === 0 && <p className="dim mb-3">Nothing in this level needs a credit.</p>}
      {items.length > 0 && (
        <table className="mb-3 w-full">
          <thead>
            <tr className="dim text-left">
              {["What", "Name", "Credit", "Licence"].map((h) => (
                <th key={h} className="pr-3 font-normal">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {items.map((c, i) => (
              <tr key={i} className="row">
                <td className="dim pr-3">{c.what}</td>
                <td className="pr-3">{c.name}</td>
                <td className="pr-3">{c.credit || <span className="text-warning">nobody is named</span>}</td>
                <td>{c.licence || (c.what === "preset" ? "" : <span className="text-warning">none is stated</span>)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <div className="flex justify-end gap-2">
        <button className="btn btn-sm" disabled={items.length === 0} onClick={() => void navigator.clipboard.writeText(text).then(() => notice("Copied."))}>
          <Clipboard size={13} /> Copy
        </button>
        <a className={`btn btn-sm ${items.length === 0 ? "btn-disabled" : ""}`} href={`data:text/plain;charset=utf-8,${encodeURIComponent(text)}`} download="credits.txt">
          <Download size={13} /> As a file
        </a>
        <button className="btn btn-primary btn-sm" onClick={onClose}>
          Done
        </button>
      </div>
    </Window>
  );
}

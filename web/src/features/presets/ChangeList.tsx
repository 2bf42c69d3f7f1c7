import type { Change } from "../../api/client";
import { changeWords } from "../../model/changes";

const most = 40;

/** What would change, a line for each thing. */
export function ChangeList({ changes, empty }: { changes: readonly Change[]; empty: string }) {
  if (changes.length === 0) return <p className="dim mb-3">{empty}</p>;
  return (
    <ul className="mb-3 max-h-60 overflow-auto" aria-label="Changes">
      {changes.slice(0, most).map((c) => (
        <li key={`${c.part} ${c.id}`} className="border-b border-[#101010] py-0.5">
          <b>{c.id ? c.name : "Level"}</b> <span className="dim">{changeWords(c)}</span>
        </li>
      ))}
      {changes.length > most && <li className="dim py-0.5">and {changes.length - most} more</li>}
    </ul>
  );
}

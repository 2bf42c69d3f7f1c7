import { useState } from "react";
import { copiedValues, pasteSome } from "../../commands/edit";
import type { Context } from "../../commands";
import { bench } from "../../model/bench";
import { pathWords, valueWords } from "../../model/changes";

/** Which of the copied values are to be pasted. */
export function PasteSome({ context }: { context: Context }) {
  const from = copiedValues();
  const names = from ? Object.keys(from.fields) : [];
  const [chosen, setChosen] = useState<string[]>([]);
  if (!from) return <p className="p-4">No values were copied yet.</p>;
  return (
    <form
      className="flex min-h-0 w-80 flex-col p-4"
      onSubmit={(e) => {
        e.preventDefault();
        bench.set({ dialog: null });
        pasteSome(context, chosen);
      }}
    >
      <h2 className="mb-2 font-semibold">Paste which values?</h2>
      <div className="min-h-0 flex-1 overflow-auto">
        {names.map((n) => (
          <label key={n} className="row flex items-center gap-2">
            <input type="checkbox" className="checkbox checkbox-xs" checked={chosen.includes(n)} onChange={(e) => setChosen(e.target.checked ? [...chosen, n] : chosen.filter((x) => x !== n))} />
            <span className="flex-1">{pathWords(n)}</span>
            <span className="dim truncate">{valueWords(from.fields[n])}</span>
          </label>
        ))}
      </div>
      <button className="btn btn-primary btn-sm mt-3" disabled={chosen.length === 0}>
        {chosen.length === 0 ? "Choose some" : `Paste ${chosen.map(pathWords).join(", ").slice(0, 40)}`}
      </button>
    </form>
  );
}

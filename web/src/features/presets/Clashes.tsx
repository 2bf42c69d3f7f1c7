import type { Schemas } from "../../api/client";
import { pathWords, valueWords } from "../../model/changes";

export type Clash = Schemas["Clash"];

/** What names a clash to the service: part/id/path. */
export const clashName = (c: Clash) => [c.part, c.id, c.path].filter(Boolean).join("/");

type Props = { clashes: readonly Clash[]; names: (id: string) => string; taken: readonly string[]; setTaken: (names: string[]) => void; here: string; there: string };

/** Fields that both sides have changed; for each, whose value holds. */
export function Clashes({ clashes, names, taken, setTaken, here, there }: Props) {
  if (clashes.length === 0) return null;
  const toggle = (name: string, on: boolean) => setTaken(on ? [...taken, name] : taken.filter((t) => t !== name));
  return (
    <section className="mb-3" aria-label="Clashes">
      <h3 className="mb-1 font-semibold text-warning">Changed on both sides: choose</h3>
      <table className="w-full">
        <thead>
          <tr className="dim text-left">
            <th className="font-normal">Field</th>
            <th className="font-normal">{here}</th>
            <th className="font-normal">{there}</th>
          </tr>
        </thead>
        <tbody>
          {clashes.map((c) => {
            const name = clashName(c);
            const theirs = taken.includes(name);
            const what = `${c.id ? names(c.id) : "Level"} ${c.path ? pathWords(c.path) : "as a whole"}`;
            return (
              <tr key={name}>
                <td className="pr-3">{what}</td>
                <td>
                  <Choice name={name} what={`${what}: ${here}`} value={c.path ? valueWords(c.mine) : c.mine === undefined ? "removed" : "kept"} checked={!theirs} onChoose={() => toggle(name, false)} />
                </td>
                <td>
                  <Choice name={name} what={`${what}: ${there}`} value={c.path ? valueWords(c.theirs) : c.theirs === undefined ? "removed" : "brought back"} checked={theirs} onChoose={() => toggle(name, true)} />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

function Choice({ name, what, value, checked, onChoose }: { name: string; what: string; value: string; checked: boolean; onChoose: () => void }) {
  return (
    <label className="row flex items-center gap-1.5 pr-3">
      <input type="radio" className="radio radio-xs" name={name} aria-label={what} checked={checked} onChange={onChoose} />
      {value}
    </label>
  );
}

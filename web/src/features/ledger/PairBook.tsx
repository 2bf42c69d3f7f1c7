import type { LevelInfo } from "../../api/client";
import type { Asked } from "../../model/bench";
import { Heads, inFull, InTheWay, LightBar, luxText, SourceName, SpotLine } from "./parts";
import { luxOf, pairRows, ratioOf, wayText, type Contribution } from "./rows";

/** Two spots, source by source: what each gives to either, and how they differ. */
export function PairBook({ level, kept, asked }: { level: LevelInfo; kept: Asked; asked: Asked }) {
  const rows = pairRows(kept.answer?.sources ?? [], asked.answer?.sources ?? []);
  const most = Math.max(...rows.flatMap((r) => [luxOf(r.a), luxOf(r.b)]), 1e-12);
  return (
    <section className="h-full overflow-auto px-3 py-2" aria-label="Two spots">
      <SpotLine level={level} asked={kept} name="A" isKept />
      <SpotLine level={level} asked={asked} name="B" isKept={false} />
      {kept.answer && asked.answer && (
        <>
          <table className="w-full table-fixed whitespace-nowrap [&_td]:truncate [&_td]:pr-2 [&_th]:pr-2">
            <Heads
              of={[
                ["Source", "w-[18%]"],
                ["A", ""],
                ["lx", "w-16"],
                ["B", ""],
                ["lx", "w-16"],
                ["B to A", "w-16"],
                ["In the way", "w-[28%]"],
              ]}
            />
            <tbody>
              {rows.map((r) => (
                <tr key={r.id} className="row border-t border-[#101010]">
                  <td>
                    <SourceName id={r.id} name={r.name} />
                  </td>
                  <Light of={r.a} most={most} />
                  <Light of={r.b} most={most} />
                  <td>{ratioOf(luxOf(r.a), luxOf(r.b))}</td>
                  <td className="dim" title={wayText(r)}>
                    <Way name="A" of={r.a} />
                    <Way name="B" of={r.b} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="dim mt-1">Lux; light bars direct, dark bars bounced, all on one scale. Point at a bar for both in numbers.</p>
        </>
      )}
    </section>
  );
}

function Light({ of, most }: { of: Contribution | undefined; most: number }) {
  return (
    <>
      <td title={inFull(of)}>
        <LightBar of={of} most={most} />
      </td>
      <td title={inFull(of)}>{luxText(luxOf(of))}</td>
    </>
  );
}

function Way({ name, of }: { name: string; of: Contribution | undefined }) {
  if (!of || of.blocked_by.length === 0) return null;
  return (
    <span className="mr-2">
      {name}: <InTheWay of={of} most={2} />
    </span>
  );
}

import type { LevelInfo } from "../../api/client";
import type { Asked } from "../../model/bench";
import { Heads, InTheWay, LightBar, luxText, SourceName, SpotLine } from "./parts";
import { countedOf, luxOf } from "./rows";

/** One spot: what each source gives it, and what stands in the way. */
export function SpotBook({ level, asked, isKept = false }: { level: LevelInfo; asked: Asked; isKept?: boolean }) {
  const sources = asked.answer?.sources ?? [];
  const shown = countedOf(sources);
  const rest = sources.length - shown.length;
  const most = Math.max(...shown.map(luxOf), 1e-12);
  return (
    <section className="h-full overflow-auto px-3 py-2" aria-label="Who lights the spot">
      <SpotLine level={level} asked={asked} isKept={isKept} />
      {isKept && <p className="dim mb-1">Kept as A. Click the spot to hold against it.</p>}
      {asked.answer && (
        <>
          <table className="w-full min-w-[460px] whitespace-nowrap [&_td]:pr-3 [&_th]:pr-3">
            <Heads
              of={[
                ["Source", ""],
                ["Light", "w-1/4"],
                ["Direct", ""],
                ["Bounced", ""],
                ["Share", ""],
                ["Seen", ""],
                ["In the way", ""],
              ]}
            />
            <tbody>
              {shown.map((s) => (
                <tr key={s.id} className="row border-t border-[#101010]">
                  <td className="max-w-36 truncate">
                    <SourceName id={s.id} name={s.name} />
                  </td>
                  <td>
                    <LightBar of={s} most={most} />
                  </td>
                  <td>{luxText(s.direct.luminance)}</td>
                  <td title={`± ${s.standard_error.toPrecision(2)} lx`}>{luxText(s.bounced.luminance)}</td>
                  <td>{(s.share * 100).toFixed(1)} %</td>
                  <td>{Math.round(s.visible * 100)} %</td>
                  <td className="dim max-w-48 truncate">
                    <InTheWay of={s} most={3} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="dim mt-1">
            Lux; light bars direct, dark bars bounced.{rest > 0 && ` ${rest} more do not get here by range, cone, facing or zone.`}
          </p>
        </>
      )}
    </section>
  );
}

import { useEffect, useMemo, useState } from "react";
import type { Document, LightmapState } from "../../api/client";
import { bench, picture } from "../../model/bench";
import { histogramOf, lightsByZone, texelsByThing, type Histogram, type Row } from "../../model/charts";
import { useScene, sceneColors } from "../data";

const bins = 64;
const everyMs = 900;

/** The level in small charts: the picture's brightness, texels by thing, lights by zone. */
export function Charts({ doc, state }: { doc: Document; state: LightmapState | undefined }) {
  const scene = useScene(doc.level.id, state?.geometry, sceneColors(doc.document)).data;
  const texels = useMemo(() => (scene ? texelsByThing(doc.document, scene.ranges, scene.texels) : []), [doc.document, scene]);
  const lights = useMemo(() => lightsByZone(doc.document), [doc.document]);
  return (
    <div className="flex h-full gap-5 overflow-auto px-3 py-2">
      <PictureChart />
      <Bars title="Texels by thing" rows={texels.slice(0, 40)} empty="Nothing takes texels." onPick={(id) => bench.select([id])} />
      <Bars title="Lights that are on, by zone" rows={lights} empty="No light is on." onPick={(id) => id && bench.select([id])} />
    </div>
  );
}

function PictureChart() {
  const [shown, setShown] = useState<Histogram | null>(null);
  useEffect(() => {
    const read = () => {
      const rgba = picture.read?.();
      if (rgba) setShown(histogramOf(rgba, bins));
    };
    read();
    const timer = setInterval(read, everyMs);
    return () => clearInterval(timer);
  }, []);
  const most = Math.max(...(shown?.bins ?? []), 1e-6);
  return (
    <figure className="min-w-44 max-w-72 flex-1">
      <figcaption className="mb-1 font-semibold">Brightness of the picture</figcaption>
      {shown ? (
        <>
          <svg viewBox={`0 0 ${bins} 40`} preserveAspectRatio="none" className="h-24 w-full bg-base-200" role="img" aria-label={`${percent(shown.dark)} of the pixels are black, ${percent(shown.full)} are full in a channel`}>
            {shown.bins.map((v, i) => (
              <rect key={i} x={i} y={40 - 40 * Math.sqrt(v / most)} width={0.9} height={40 * Math.sqrt(v / most)} fill="#b8b8b8" />
            ))}
          </svg>
          <p className="dim flex justify-between">
            <span>black {percent(shown.dark)}</span>
            <span className={shown.full > 0.02 ? "text-warning" : ""}>full {percent(shown.full)}</span>
          </p>
        </>
      ) : (
        <p className="dim">No picture yet.</p>
      )}
    </figure>
  );
}

const percent = (v: number) => `${(100 * v).toFixed(1)} %`;

type BarsProps = { title: string; rows: readonly Row[]; empty: string; onPick: (id: string) => void };

function Bars({ title, rows, empty, onPick }: BarsProps) {
  const most = Math.max(...rows.map((r) => r.value), 1);
  return (
    <figure className="flex min-w-44 flex-1 flex-col">
      <figcaption className="mb-1 font-semibold">{title}</figcaption>
      {rows.length === 0 && <p className="dim">{empty}</p>}
      <ul className="min-h-0 flex-1 overflow-auto">
        {rows.map((r) => (
          <li key={r.id}>
            <button className="flex h-5 w-full items-center gap-2 text-left hover:bg-base-300" title="Select it" onClick={() => onPick(r.id)}>
              <span className="w-24 shrink-0 truncate" title={r.name}>
                {r.name}
              </span>
              <span className="h-2 bg-[#8a8a8a]" style={{ width: `${(35 * r.value) / most}%` }} />
              <span className="dim">{r.value.toLocaleString("en")}</span>
            </button>
          </li>
        ))}
      </ul>
    </figure>
  );
}

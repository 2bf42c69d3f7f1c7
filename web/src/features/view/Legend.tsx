import type { Document, Level, Schemas } from "../../api/client";
import { brightnessBands, densityBands, scaleCSS, shadowBands } from "../../engine/scale";
import { useBench } from "../../model/bench";
import { platformOf } from "../../model/platforms";
import { counted } from "../../ui/counted";
import { useGround, usePlatforms } from "../data";

/** Shadows that the level's platform takes at one point, without its reserve; 0 is no limit. */
export function useShadowLimit(level: Level): number {
  const limit = usePlatforms().data?.items.find((p) => p.ref === platformOf(level))?.profile.limits.shadow_overlap;
  return limit ? limit.max - limit.reserve : 0;
}

/** What the colours of a view mode mean. */
export function Legend({ doc }: { doc: Document }) {
  const mode = useBench((s) => s.mode);
  const most = useShadowLimit(doc.document);
  switch (mode) {
    case "brightness":
      return (
        <Frame title="Light on the surface">
          <Lux />
          <Ticks values={octaves(brightnessBands).map((v) => (v === null ? null : v / Math.PI))} unit="nt of white" />
        </Frame>
      );
    case "texels":
      return (
        <Frame title="Texels a metre; each square is a texel">
          <Bar bands={densityBands.count} label="From 1 to 64 texels a metre" />
          <Ticks values={octaves(densityBands, 1)} unit="/m" />
        </Frame>
      );
    case "clipping":
      return (
        <Frame title="What a display cannot show">
          <Key color="rgb(255 230 255)" text="white: all channels full" />
          <Key color="rgb(255 230 13)" text="a colour: these channels full" />
          <Key color="rgb(26 51 140)" text="black" />
        </Frame>
      );
    case "backs":
      return (
        <Frame title="Backs of surfaces">
          <Key color={stripes("rgb(231 89 188)", "rgb(149 39 124)")} text="seen from behind: light may pass here" />
        </Frame>
      );
    case "leaks":
      return (
        <Frame title="Where light may get in or out">
          <Key color={stripes("rgb(231 89 188)", "rgb(149 39 124)")} text="seen from behind: light may pass here" />
          <Key color="rgb(240 196 90)" text="lines: blockers, and what the checks of closure found" />
        </Frame>
      );
    case "shadows":
      return (
        <Frame title="Lights that cast shadows at the surface">
          <Bar bands={shadowBands} label={`From 1 to ${shadowBands} lights`} />
          <div className="mr-14 flex">
            {Array.from({ length: shadowBands }, (_, i) => (
              <span key={i} className="flex-1 text-center">
                {i + 1}
                {i + 1 === shadowBands && "+"}
              </span>
            ))}
          </div>
          {most > 0 && <Key color={stripes("rgb(238 79 63)", "rgb(137 25 25)")} text={`more than the ${most} that the platform takes`} />}
        </Frame>
      );
    case "reflections":
      return (
        <Frame title="How sharp surfaces mirror">
          <Bar bands={12} label="From rough to smooth" />
          <div className="mr-14 flex justify-between">
            <span>rough</span>
            <span>smooth</span>
          </div>
          <Key color="rgb(63 63 63)" text="matt; boxes: reflections of the level" />
        </Frame>
      );
    case "ground":
      return <GroundLegend doc={doc} />;
    default:
      return null;
  }
}

/** What the squares of the ground mean, or why there are none. */
function GroundLegend({ doc }: { doc: Document }) {
  const ground = useGround(doc.level.id, doc.level.revision, true);
  const floors = (ground.data?.floors ?? []).toSorted((a, b) => darkShare(b) - darkShare(a));
  const name = (zone: string) => doc.document.zones.find((z) => z.id === zone)?.name || zone;
  return (
    <Frame title="Light where players walk">
      <Lux />
      {ground.isError ? (
        <p className="text-error">{ground.error.message}</p>
      ) : ground.isPending ? (
        <p role="status">Asking the ground for its light…</p>
      ) : floors.length === 0 ? (
        <p>No zone says what players do in it. Give one a play intent: its ground is shown then.</p>
      ) : (
        <>
          <Key color={stripes("rgb(238 79 63)", "rgb(137 150 170)")} text="darker than the platform asks" />
          {floors.slice(0, mostNamed).map((f) => (
            <p key={f.zone} className="truncate">
              {name(f.zone)}: {Math.round(100 * darkShare(f))} % under {f.asked_lux} lx ({f.play})
            </p>
          ))}
          {floors.length > mostNamed && <p className="dim">and {counted(floors.length - mostNamed, "zone")} more</p>}
        </>
      )}
      {ground.isPlaceholderData && <p role="status">Of before the last edit; asking again…</p>}
    </Frame>
  );
}

const mostNamed = 6;

/** How much of a floor is darker than what is asked. */
const darkShare = (f: Schemas["GroundFloor"]): number => f.squares.filter((q) => q[3]! < f.asked_lux).length / f.squares.length;

function Lux() {
  return (
    <>
      <Bar bands={brightnessBands.count} label="From an eighth of a lux to 512 lux, each band twice the one before" />
      <Ticks values={octaves(brightnessBands)} unit="lx" />
    </>
  );
}

const stripes = (a: string, b: string) => `repeating-linear-gradient(135deg, ${a} 0 4px, ${b} 4px 8px)`;

function Frame({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <figure className="pointer-events-none absolute bottom-14 left-2 w-80 bg-base-100/95 px-3 py-2 text-[11px]" aria-label="Legend">
      <figcaption className="mb-1 font-semibold">{title}</figcaption>
      {children}
    </figure>
  );
}

function Bar({ bands, label }: { bands: number; label: string }) {
  return <div role="img" aria-label={label} className="mr-14 h-3" style={{ background: scaleCSS(bands) }} />;
}

/** The values at the borders of the bands; null where none is written. */
function octaves({ first, count }: { first: number; count: number }, every = 3): (number | null)[] {
  return Array.from({ length: count + 1 }, (_, i) => (i % every === 0 ? 2 ** (first + i) : null));
}

function Ticks({ values, unit }: { values: (number | null)[]; unit: string }) {
  return (
    <div className="relative mr-14 mt-0.5 h-3.5">
      <span className="dim absolute left-full ml-1.5 whitespace-nowrap">{unit}</span>
      {values.map((v, i) =>
        v === null ? null : (
          <span key={i} className="absolute whitespace-nowrap" style={{ left: `${(100 * i) / (values.length - 1)}%`, transform: `translateX(${i === 0 ? 0 : i === values.length - 1 ? -100 : -50}%)` }}>
            {Number(v.toPrecision(2)).toLocaleString("en")}
          </span>
        ),
      )}
    </div>
  );
}

function Key({ color, text }: { color: string; text: string }) {
  return (
    <p className="flex items-center gap-2">
      <span className="h-3 w-5" style={{ background: color }} /> {text}
    </p>
  );
}

import { useEffect } from "react";
import { useQuery } from "@tanstack/react-query";
import { takeShot, type Document } from "../../api/client";
import { bench, camera, useBench } from "../../model/bench";

const mostWidth = 800;

/** Over the view: the level with the preset that is pointed at, from where the camera stands. */
export function Trying({ doc }: { doc: Document }) {
  const preset = useBench((s) => s.trying);
  if (!preset) return null;
  return <Tried key={`${preset.owner}/${preset.name}`} doc={doc} name={preset.name} preset={`${preset.owner}/${preset.name}@${preset.version}`} />;
}

function Tried({ doc, name, preset }: { doc: Document; name: string; preset: string }) {
  const { id, revision } = doc.level;
  const shot = useQuery({
    queryKey: ["trying", id, revision, preset],
    queryFn: ({ signal }) => {
      const view = document.querySelector("[data-testid=view]");
      const shape = view ? view.clientHeight / view.clientWidth : 0.6;
      const width = Math.min(mostWidth, view?.clientWidth ?? mostWidth);
      const from = camera.now?.();
      return takeShot(id, { preset, ...(from ? { camera: from } : {}), width, height: Math.max(16, Math.round(width * shape)), samples: 1 }, signal);
    },
    gcTime: 0,
    retry: false,
  });
  useFreeing(shot.data);
  return (
    <div className="pointer-events-none absolute inset-0 z-10" data-testid="trying" aria-live="polite">
      {shot.data && <img src={shot.data} alt={`With ${name}`} className="h-full w-full object-fill" />}
      <p className="absolute left-1/2 top-11 -translate-x-1/2 bg-base-100/95 px-3 py-1">{shot.data ? `With ${name}. Click to take it; move away to leave it.` : shot.isError ? shot.error.message : `Trying ${name}…`}</p>
    </div>
  );
}

type Preset = Parameters<typeof bench.set>[0]["trying"];

/** Begins and ends trying; it begins after a moment, so that passing over a list starts nothing. */
const restMs = 180;
let later: ReturnType<typeof setTimeout> | undefined;
let next: Preset = null; // that begins after the moment
export const trying = {
  begin: (p: Preset) => {
    if (p === (next ?? bench.get().trying)) return;
    next = p;
    clearTimeout(later);
    later = setTimeout(() => {
      next = null;
      bench.set({ trying: p });
    }, restMs);
  },
  end: () => {
    next = null;
    clearTimeout(later);
    bench.set({ trying: null });
  },
};

/** Lets go of a picture's address once it is shown no more. */
function useFreeing(url: string | undefined) {
  useEffect(() => () => void (url && URL.revokeObjectURL(url)), [url]);
}

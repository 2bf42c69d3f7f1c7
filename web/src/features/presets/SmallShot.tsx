import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { takeShot, type Schemas, type Variant } from "../../api/client";
import { pictures } from "../../api/turns";
import { useSeen } from "../../ui/useSeen";
import { useSettled } from "../../ui/useSettled";

type Props = { id: string; revision: number; variant: Variant; from: Pick<Schemas["NewShot"], "viewpoint" | "camera">; alt: string; className?: string };

const width = 224;
const height = 126;
const restMs = 3000; // pictures follow once the level rests

/** A small picture of the level in another state: made once it is seen, given up once it is left. */
export function SmallShot({ id, revision, variant, from, alt, className = "" }: Props) {
  const { element, seen } = useSeen<HTMLDivElement>();
  const settled = useSettled(revision, restMs);
  const shot = useQuery({
    queryKey: ["small-shot", id, variant.revision ?? settled, variant, from],
    placeholderData: keepPreviousData,
    enabled: seen,
    queryFn: ({ signal }) => pictures.take(() => takeShot(id, { ...variant, ...from, width, height, samples: 1 }, signal), signal),
    staleTime: Infinity,
    gcTime: 120_000,
    retry: false,
  });
  return (
    <div ref={element} className={`dim grid aspect-video place-items-center overflow-hidden bg-black text-[11px] ${className}`}>
      {shot.data ? <img src={shot.data} alt={alt} className="h-full w-full object-cover" draggable={false} /> : <span>{shot.isError ? "no picture" : "…"}</span>}
    </div>
  );
}

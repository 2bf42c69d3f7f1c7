import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { takeShot, type Schemas, type Variant } from "../../api/client";
import { pictures } from "../../api/turns";
import { Picture } from "../../ui/Picture";
import { useSeen } from "../../ui/useSeen";
import { useSettled } from "../../ui/useSettled";

type Props = { id: string; revision: number; variant: Variant; from: Pick<Schemas["NewShot"], "viewpoint" | "camera">; alt: string; className?: string; large?: boolean };

const small = { width: 224, height: 126 };
const larger = { width: 448, height: 252 }; // for a picture that fills half a window
const restMs = 3000; // pictures follow once the level rests

/** A small picture of the level in another state: made once it is seen, given up once it is left. */
export function SmallShot({ id, revision, variant, from, alt, className = "", large = false }: Props) {
  const size = large ? larger : small;
  const { element, seen } = useSeen<HTMLDivElement>();
  const settled = useSettled(revision, restMs);
  const shot = useQuery({
    queryKey: ["small-shot", id, variant.revision ?? settled, variant, from, size.width],
    placeholderData: keepPreviousData,
    enabled: seen,
    queryFn: ({ signal }) => pictures.take(() => takeShot(id, { ...variant, ...from, ...size, samples: 1 }, signal), signal),
    staleTime: Infinity,
    gcTime: 120_000,
    retry: false,
  });
  return <Picture ref={element} src={shot.data} alt={alt} failed={shot.isError} className={`aspect-video ${className}`} />;
}

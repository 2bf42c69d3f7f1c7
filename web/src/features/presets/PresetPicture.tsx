import { useQuery } from "@tanstack/react-query";
import { ProblemError, type PresetInfo } from "../../api/client";
import { pictures } from "../../api/turns";
import { Picture } from "../../ui/Picture";
import { useSeen } from "../../ui/useSeen";
import { kindWords } from "./usePresets";

/** A preset on the neutral stage: asked for once it is seen. */
export function PresetPicture({ preset: p, className = "" }: { preset: PresetInfo; className?: string }) {
  const { element, seen } = useSeen<HTMLDivElement>();
  const picture = useQuery({
    queryKey: ["preset-picture", p.hash],
    enabled: seen && p.picture,
    staleTime: Infinity,
    gcTime: 300_000,
    retry: false,
    queryFn: ({ signal }) =>
      pictures.take(async () => {
        const response = await fetch(`/api/v1/presets/${encodeURIComponent(p.owner)}/${encodeURIComponent(p.name)}/picture?version=${p.version}`, { signal });
        if (!response.ok) throw new ProblemError(await response.json().catch(() => ({})));
        return readURL(await response.blob());
      }, signal),
  });
  return <Picture ref={element} src={picture.data} alt={`${p.name} on the stage`} failed={picture.isError} none={p.picture ? undefined : kindWords[p.kind]} className={`aspect-[16/10] ${className}`} />;
}

/** A picture as text that needs no giving back. */
function readURL(blob: Blob): Promise<string> {
  return new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.onerror = () => reject(new Error("The picture cannot be read."));
    reader.readAsDataURL(blob);
  });
}

import { useQuery } from "@tanstack/react-query";
import { ProblemError, type PresetInfo } from "../../api/client";
import { pictures } from "../../api/turns";
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
  return (
    <div ref={element} className={`dim grid aspect-[16/10] place-items-center overflow-hidden bg-black text-[11px] ${className}`}>
      {picture.data ? <img src={picture.data} alt={`${p.name} on the stage`} className="h-full w-full object-cover" draggable={false} /> : <span>{!p.picture ? kindWords[p.kind] : picture.isError ? "no picture" : "…"}</span>}
    </div>
  );
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

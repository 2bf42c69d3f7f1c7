import type { Ref } from "react";

type Props = { ref?: Ref<HTMLDivElement>; src: string | undefined; alt: string; failed: boolean; none?: string; className?: string };

/** The place of a picture that is made on the service: grey with a word until it is there. */
export function Picture({ ref, src, alt, failed, none, className = "aspect-video" }: Props) {
  return (
    <div ref={ref} className={`dim grid place-items-center overflow-hidden bg-base-300 text-[11px] ${className}`}>
      {src ? <img src={src} alt={alt} className="h-full w-full object-cover" draggable={false} /> : <span>{none ?? (failed ? "no picture" : "on its way…")}</span>}
    </div>
  );
}

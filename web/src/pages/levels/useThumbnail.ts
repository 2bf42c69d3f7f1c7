import { useEffect, useState } from "react";
import { pictures } from "../../api/turns";
import { useSeen } from "../../ui/useSeen";

async function read(id: string, signal: AbortSignal): Promise<string> {
  const response = await fetch(`/api/v1/levels/${id}/thumbnail`, { signal });
  if (!response.ok) throw new Error(String(response.status));
  return URL.createObjectURL(await response.blob());
}

/** The small picture of a level, once its element is seen, and no longer once the page is left.
 *  version changes with the level. */
export function useThumbnail(id: string, version: string) {
  const { element, seen } = useSeen<HTMLDivElement>();
  const [picture, setPicture] = useState<{ src?: string; failed?: boolean }>({});
  useEffect(() => {
    if (!seen) return;
    const stop = new AbortController();
    let src: string | undefined;
    pictures
      .take(() => read(id, stop.signal), stop.signal)
      .then(
        (s) => {
          if (stop.signal.aborted) return URL.revokeObjectURL(s);
          src = s;
          setPicture({ src: s });
        },
        () => stop.signal.aborted || setPicture({ failed: true }),
      );
    return () => {
      stop.abort();
      if (src) URL.revokeObjectURL(src);
    };
  }, [seen, id, version]);
  return { element, ...picture };
}

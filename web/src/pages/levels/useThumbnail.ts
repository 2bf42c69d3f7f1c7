import { useEffect, useRef, useState } from "react";

// Small pictures of levels are made by the service when nobody has seen them yet, which takes
// a moment. So they are asked for only where they are seen, two at a time, and no longer once
// the page is left: a click is never held up by them.

const mostAtOnce = 2;
let running = 0;
const waiting: (() => void)[] = [];

function turn(signal: AbortSignal): Promise<void> {
  if (running < mostAtOnce) {
    running++;
    return Promise.resolve();
  }
  return new Promise((resolve, reject) => {
    const start = () => {
      running++;
      resolve();
    };
    waiting.push(start);
    signal.addEventListener("abort", () => {
      const at = waiting.indexOf(start);
      if (at >= 0) waiting.splice(at, 1);
      reject(signal.reason);
    });
  });
}

function done() {
  running--;
  waiting.shift()?.();
}

async function read(id: string, signal: AbortSignal): Promise<string> {
  await turn(signal);
  try {
    const response = await fetch(`/api/v1/levels/${id}/thumbnail`, { signal });
    if (!response.ok) throw new Error(String(response.status));
    return URL.createObjectURL(await response.blob());
  } finally {
    done();
  }
}

/** The picture of a level once the element is seen. version changes with the level. */
export function useThumbnail(id: string, version: string) {
  const element = useRef<HTMLDivElement>(null);
  const [picture, setPicture] = useState<{ src?: string; failed?: boolean }>({});
  useEffect(() => {
    const stop = new AbortController();
    let src: string | undefined;
    const seen = new IntersectionObserver(
      (entries) => {
        if (!entries.some((e) => e.isIntersecting)) return;
        seen.disconnect();
        read(id, stop.signal).then(
          (s) => {
            if (stop.signal.aborted) return URL.revokeObjectURL(s);
            src = s;
            setPicture({ src: s });
          },
          () => stop.signal.aborted || setPicture({ failed: true }),
        );
      },
      { rootMargin: "120px" },
    );
    if (element.current) seen.observe(element.current);
    return () => {
      seen.disconnect();
      stop.abort();
      if (src) URL.revokeObjectURL(src);
    };
  }, [id, version]);
  return { element, ...picture };
}

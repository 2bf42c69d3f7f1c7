import { useEffect, useRef } from "react";
import type { Document } from "../../api/client";
import type { Stage } from "../../engine/stage";
import { bench, useBench } from "../../model/bench";
import { placeOf, thingAt } from "../../model/things";
import { useThreads, type Thread } from "./useTalk";

/** Over the view: a pin for each open thread, at its place or its thing. */
export function CommentPins({ doc, stage }: { doc: Document; stage: Stage | null }) {
  const { threads } = useThreads(doc.level.id);
  const chosen = useBench((s) => s.thread);
  const remark = useBench((s) => s.remark);
  const host = useRef<HTMLDivElement>(null);
  const pins = threads.flatMap((t) => {
    const at = t.first.resolved && t.first.id !== chosen ? null : placeOfThread(doc, t);
    return at ? [{ thread: t, at }] : [];
  });
  useEffect(() => {
    if (!stage) return;
    const place = () => {
      for (const pin of host.current?.querySelectorAll<HTMLElement>("[data-at]") ?? []) {
        const at = stage.project(pin.dataset.at!.split(",").map(Number));
        pin.style.display = at ? "grid" : "none";
        if (at) pin.style.transform = `translate(${at.x}px, ${at.y}px)`;
      }
    };
    place();
    return stage.eachFrame(place);
  });
  return (
    <div ref={host} className="pointer-events-none absolute inset-0 overflow-hidden" data-testid="comment-pins">
      {pins.map(({ thread: t, at }) => (
        <button
          key={t.first.id}
          className={`pointer-events-auto absolute -left-2.5 -top-6 grid h-5 min-w-5 place-items-center rounded-full rounded-bl-none border px-1 text-[10px] font-semibold ${t.first.id === chosen ? "border-accent bg-accent text-black" : "border-[#161616] bg-[#d8d8d8] text-black"}`}
          style={{ display: "none" }}
          data-at={at.join(",")}
          tabIndex={-1}
          title={`${t.first.author}: ${t.first.text}`}
          aria-label={`Comment of ${t.first.author}: ${t.first.text}`}
          onClick={() => bench.set({ thread: t.first.id, remark: null, panel: "talk", folded: { ...bench.get().folded, drawer: false } })}
        >
          {t.first.author.slice(0, 1).toUpperCase()}
        </button>
      ))}
      {remark?.at && <span className="absolute -left-2 -top-2 h-4 w-4 rounded-full border-2 border-accent" style={{ display: "none" }} data-at={remark.at.join(",")} />}
    </div>
  );
}

function placeOfThread(doc: Document, t: Thread): readonly number[] | null {
  if (t.first.at) return t.first.at;
  const thing = t.first.entity ? thingAt(doc.document, t.first.entity) : undefined;
  return thing ? placeOf(doc.document, thing) : null;
}

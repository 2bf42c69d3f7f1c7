import { useEffect, useState } from "react";
import { bench, useBench, type Stage } from "../../model/bench";
import { goToStage } from "../stages/Rail";

type Step = { title: string; words: string; stage?: Stage; at: string };

// Six steps in the order of the job. Each points at the place that it is about.
const steps: readonly Step[] = [
  { title: "The level lies in the middle, lit", words: "Drag to turn about, right drag to look, wheel to go nearer, W A S D to fly. Click anything to select it; what is amber can be dragged.", at: "[data-testid=view]" },
  { title: "Stages, in the order of the job", words: "Each brings its tools to hand. None of them hides the others: go back and forth as you like.", stage: "level", at: "nav[aria-label=Stages]" },
  { title: "Try a mood before you take it", words: "Point at a picture: the view shows this level with it. A click says what it would replace, part by part.", stage: "mood", at: "#left-panel" },
  { title: "Place a light, and see it at once", words: "Pick a kind, click a surface, again and again until Esc. Drag its handles; the light follows while you drag.", stage: "lights", at: "#left-panel" },
  { title: "Every light has its strip", words: "Strength, colour, mute and solo act at once, nothing is baked again. Keep a mix, compare it, go back to it.", stage: "lights", at: "#drawer-panel" },
  { title: "Know what the platform will say", words: "The bars at the top are its limits. A finding flies to its place, and many are mended by a click. Ctrl K finds every command.", stage: "checks", at: "header" },
];

const seenKey = "grotta-tour";

/** Whether this browser has not been offered the tour yet. */
const isNew = () => localStorage.getItem(seenKey) === null;

/** Offers the tour on the first visit, and shows it when it is asked for. */
export function Tour() {
  const on = useBench((s) => s.dialog === "tour");
  const [offered, setOffered] = useState(isNew);
  const [at, setAt] = useState(0);
  const leave = () => {
    localStorage.setItem(seenKey, "seen");
    setOffered(false);
    setAt(0);
    if (bench.get().dialog === "tour") bench.set({ dialog: null });
  };
  if (on) return <StepCard key={at} step={steps[at]!} number={at + 1} onBack={at > 0 ? () => setAt(at - 1) : null} onNext={at + 1 < steps.length ? () => setAt(at + 1) : leave} onLeave={leave} />;
  if (!offered) return null;
  return (
    <aside className="fixed bottom-4 left-16 z-30 w-72 border border-[#4a4a4a] bg-base-300 p-3 shadow-2xl" aria-label="Tour">
      <p className="mb-2">New here? Six steps show how a level is lit.</p>
      <div className="flex gap-2">
        <button className="btn btn-primary btn-xs" onClick={() => bench.set({ dialog: "tour" })}>
          Take the tour
        </button>
        <button className="btn btn-ghost btn-xs" onClick={leave}>
          Not now
        </button>
      </div>
    </aside>
  );
}

type CardProps = { step: Step; number: number; onBack: (() => void) | null; onNext: () => void; onLeave: () => void };

function StepCard({ step, number, onBack, onNext, onLeave }: CardProps) {
  const [place, setPlace] = useState<DOMRect | null>(null);
  useEffect(() => {
    if (step.stage) goToStage(step.stage);
    const find = () => setPlace(document.querySelector(step.at)?.getBoundingClientRect() ?? null);
    const soon = setTimeout(find, 60); // once the stage's panels stand
    addEventListener("resize", find);
    return () => {
      clearTimeout(soon);
      removeEventListener("resize", find);
    };
  }, [step]);
  return (
    <>
      {place && <div className="pointer-events-none fixed z-30 border-2 border-accent" style={{ left: place.left, top: place.top, width: place.width, height: place.height }} />}
      <section role="dialog" aria-label={step.title} className="fixed left-1/2 top-24 z-40 w-[360px] -translate-x-1/2 border border-[#4a4a4a] bg-base-300 p-4 shadow-2xl">
        <h2 className="mb-1 font-semibold">{step.title}</h2>
        <p className="mb-3">{step.words}</p>
        <div className="flex items-center gap-2">
          <span className="dim flex-1">
            {number} of {steps.length}
          </span>
          <button className="btn btn-ghost btn-xs" onClick={onLeave}>
            Leave
          </button>
          <button className="btn btn-xs" disabled={!onBack} onClick={() => onBack?.()}>
            Back
          </button>
          <button className="btn btn-primary btn-xs" autoFocus onClick={onNext}>
            {number === steps.length ? "Done" : "Next"}
          </button>
        </div>
      </section>
    </>
  );
}

import { bench, useBench, type Stage } from "../../model/bench";
import { stages } from "./stages";

/** Goes to a stage, and brings its panel to hand. */
export function goToStage(id: Stage) {
  const stage = stages.find((s) => s.id === id)!;
  bench.set({ stage: id, ...(stage.panel ? { panel: stage.panel } : {}), ...(id === "look" ? { sheet: "look" } : id === "mood" ? { sheet: "light" } : {}), folded: { ...bench.get().folded, left: false } });
}

/** The stages of the job, upright at the left edge. Arrow keys go from one to the next. */
export function Rail() {
  const now = useBench((s) => s.stage);
  const go = (e: React.KeyboardEvent<HTMLButtonElement>) => {
    const to = e.key === "ArrowDown" ? e.currentTarget.nextElementSibling : e.key === "ArrowUp" ? e.currentTarget.previousElementSibling : null;
    if (!(to instanceof HTMLButtonElement)) return;
    e.preventDefault();
    to.focus();
    to.click();
  };
  return (
    <nav className="flex w-[52px] shrink-0 flex-col border-r border-[#101010] bg-[#191919]" role="tablist" aria-orientation="vertical" aria-label="Stages">
      {stages.map((s) => (
        <button
          key={s.id}
          role="tab"
          aria-selected={now === s.id}
          tabIndex={now === s.id ? 0 : -1}
          title={s.about}
          className={`flex h-[52px] flex-col items-center justify-center gap-1 border-l-2 text-[10px] leading-none ${now === s.id ? "border-accent bg-base-300" : "dim border-transparent hover:bg-base-100"}`}
          onClick={() => goToStage(s.id)}
          onKeyDown={go}
        >
          <s.icon size={16} />
          {s.name}
        </button>
      ))}
    </nav>
  );
}

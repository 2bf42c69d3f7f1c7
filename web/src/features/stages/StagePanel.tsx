import type { Document, Report } from "../../api/client";
import type { Context } from "../../commands";
import { useBench } from "../../model/bench";
import { ChecksStage, HandOverStage, LevelStage, LightsStage, LookStage, MoodStage, SurfacesStage } from "./panels";
import { stages } from "./stages";

export type StageProps = { doc: Document; context: Context; report: Report | undefined; onApplied: () => void };

/** The tools of the stage at hand. */
export function StagePanel(props: StageProps) {
  const stage = useBench((s) => s.stage);
  const info = stages.find((s) => s.id === stage)!;
  return (
    <section className="flex h-full flex-col bg-base-100" role="tabpanel" aria-label={info.name}>
      <h2 className="shrink-0 px-3 pb-1 pt-2 font-semibold" title={info.about}>
        {info.name}
      </h2>
      <div key={stage} className="min-h-0 flex-1 overflow-auto pb-1">
        <Tools stage={stage} {...props} />
      </div>
    </section>
  );
}

function Tools({ stage, ...props }: StageProps & { stage: (typeof stages)[number]["id"] }) {
  switch (stage) {
    case "level":
      return <LevelStage {...props} />;
    case "mood":
      return <MoodStage {...props} />;
    case "lights":
      return <LightsStage {...props} />;
    case "surfaces":
      return <SurfacesStage {...props} />;
    case "look":
      return <LookStage {...props} />;
    case "checks":
      return <ChecksStage {...props} />;
    case "handover":
      return <HandOverStage {...props} />;
  }
}

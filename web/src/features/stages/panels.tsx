import { useBench } from "../../model/bench";
import { Origins } from "../presets/Origins";
import { PresetPictures } from "../presets/PresetPictures";
import { RigList } from "../presets/RigList";
import { SavePreset } from "../presets/SavePreset";
import { BringInAgain } from "./Again";
import { CommandGrid, Group } from "./buttons";
import { AlsoFor, Budget, Findings, FitButton } from "./Findings";
import { HandOver } from "./HandOver";
import { MaterialSwatches } from "./Materials";
import type { StageProps } from "./StagePanel";
import { Variants } from "../variants/Variants";
import { ViewpointList } from "./Viewpoints";

// What each stage brings to hand. The commands are those of the palette.

/** Tools whose buttons say whether they are on. */
function useOn() {
  useBench((s) => s.tool);
  useBench((s) => s.mode);
  useBench((s) => s.muted);
  useBench((s) => s.selection);
  useBench((s) => s.walking);
}

export function LevelStage({ doc, context, onApplied }: StageProps) {
  useOn();
  return (
    <>
      <Group title="From your editor">
        <BringInAgain context={context} onApplied={onApplied} />
      </Group>
      <Group title="Blocks">
        <CommandGrid context={context} ids={["place-box-block", "place-wall-block", "place-floor-block", "place-wedge-block", "place-cylinder-block", "place-stairs-block", "place-water-block", "place-blocker-block", "opening"]} />
      </Group>
      <Group title="Zones and viewpoints">
        <CommandGrid context={context} ids={["add-zone", "save-view", "walk", "frame"]} />
      </Group>
      <ViewpointList doc={doc} context={context} />
      <Group title="Variants">
        <Variants doc={doc} context={context} onApplied={onApplied} />
      </Group>
    </>
  );
}

export function MoodStage({ doc, context, onApplied }: StageProps) {
  useOn();
  return (
    <>
      <Group title="Sun, moon and stage">
        <CommandGrid context={context} ids={["sun-at", "sun-on", "moon-at", "moon-on", "dark-stage", "clear-lights"]} />
      </Group>
      <Origins doc={doc} context={context} onApplied={onApplied} of={(o) => !o.rig && o.kind !== "look"} />
      <Group title="Moods, skies, set-ups: point to try, click to take">
        <PresetPictures doc={doc} kinds={["mood", "sky", "environment", "zone"]} canEdit={context.canEdit} onApplied={onApplied} undo={context.undo} />
      </Group>
    </>
  );
}

export function LightsStage({ doc, context, onApplied }: StageProps) {
  useOn();
  return (
    <>
      <Group title="Place">
        <CommandGrid
          context={context}
          ids={[
            ["place-point", "point"],
            ["place-spot", "spot"],
            ["place-rect", "rect"],
            ["place-tube", "tube"],
            ["place-dome", "dome"],
            ["place-directional", "directional"],
            ["place-glow", "glow"],
            ["place-beam", "beam"],
          ]}
        />
      </Group>
      <Group title="With what is selected">
        <CommandGrid context={context} ids={["aim", "each-fixture", "make-rig", "break-rig", "repeat", "alike-kind", "alike-colour", "alike-fixture", "keep-mix"]} />
      </Group>
      <Origins doc={doc} context={context} onApplied={onApplied} of={(o) => o.rig !== undefined} />
      <Group title="Rigs">
        <RigList canEdit={context.canEdit} />
      </Group>
    </>
  );
}

export function SurfacesStage({ doc, context }: StageProps) {
  useOn();
  return (
    <>
      <Group title="See">
        <CommandGrid context={context} ids={["mode-texels", "mode-leaks", "mode-backs", "mode-reflections", "mode-brightness", "mode-unlit"]} />
      </Group>
      <Group title="Materials: pick one, click surfaces">
        <CommandGrid context={context} ids={["pick-material"]} />
        <MaterialSwatches doc={doc} context={context} />
      </Group>
    </>
  );
}

export function LookStage({ doc, context, onApplied }: StageProps) {
  useOn();
  return (
    <>
      <Group title="In the air">
        <CommandGrid context={context} ids={[["place-fog", "fog volume"], ["place-motes", "motes"], ["place-beam", "beam"], ["place-glow", "glow"]]} />
      </Group>
      <Group title="See">
        <CommandGrid context={context} ids={["air", "look", "mode-clipping", "mode-final"]} />
      </Group>
      <Origins doc={doc} context={context} onApplied={onApplied} of={(o) => o.kind === "look"} />
      <Group title="Looks: point to try, click to take">
        <PresetPictures doc={doc} kinds={["look"]} canEdit={context.canEdit} onApplied={onApplied} undo={context.undo} />
      </Group>
    </>
  );
}

export function ChecksStage({ doc, report, context }: StageProps) {
  useOn();
  return (
    <>
      <Findings report={report} />
      <Group title="See">
        <CommandGrid context={context} ids={["mode-shadows", "mode-leaks"]} />
      </Group>
      <FitButton doc={doc} />
      <Budget report={report} />
      <AlsoFor doc={doc} context={context} />
    </>
  );
}

export function HandOverStage({ doc, context, onApplied }: StageProps) {
  return (
    <>
      <HandOver doc={doc} context={context} onApplied={onApplied} />
      <Group title="Save as a preset">
        <SavePreset doc={doc} />
      </Group>
    </>
  );
}

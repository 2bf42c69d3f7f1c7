import type { Document } from "../../api/client";
import type { Context } from "../../commands";
import { Origins } from "../presets/Origins";
import { SavePreset } from "../presets/SavePreset";

/** Where parts of the level came from, and what of it is kept for other levels. */
export function PresetPanel({ doc, context, onApplied }: { doc: Document; context: Context; onApplied: () => void }) {
  return (
    <div className="flex h-full">
      <div className="min-w-0 flex-1 overflow-auto pt-2">
        <Origins doc={doc} context={context} onApplied={onApplied} />
      </div>
      <div className="w-72 shrink-0 overflow-auto border-l border-[#101010] pt-3">
        <SavePreset doc={doc} />
      </div>
    </div>
  );
}

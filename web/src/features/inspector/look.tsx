import { useRef } from "react";
import { api, take, type Document, type Operation } from "../../api/client";
import { Fields, type Field } from "../../ui/fields";
import { complain, notice } from "../../ui/messages";
import { useScope } from "./air";
import { bench, useBench } from "../../model/bench";

// The look: what a camera makes of the light.

const sections: [string, Field[]][] = [
  ["Look", [{ is: "toggle", path: "enabled", label: "On" }]],
  [
    "Exposure",
    [
      { is: "number", path: "exposure_ev", label: "Exposure", unit: "EV", min: -10, max: 25, step: 0.1 },
      { is: "choice", path: "tone", label: "Tone", of: ["filmic", "headroom", "clamp"] },
      { is: "number", path: "headroom", label: "Headroom", unit: "×", min: 1, max: 64, step: 0.5, when: (l) => l.tone !== "clamp" },
    ],
  ],
  [
    "Balance",
    [
      { is: "toggle", path: "balance.enabled", label: "On" },
      { is: "number", path: "balance.kelvin", label: "White", unit: "K", min: 1000, max: 40000, step: 100 },
      { is: "number", path: "balance.tint", label: "Tint", min: -1, max: 1, step: 0.02 },
    ],
  ],
  [
    "Grade",
    [
      { is: "toggle", path: "grade.enabled", label: "On" },
      { is: "three", path: "grade.slope", label: "Slope", min: 0, max: 16, step: 0.01, names: ["red", "green", "blue"] },
      { is: "three", path: "grade.offset", label: "Offset", min: -1, max: 1, step: 0.005, names: ["red", "green", "blue"] },
      { is: "three", path: "grade.power", label: "Power", min: 0.01, max: 16, step: 0.01, names: ["red", "green", "blue"] },
      { is: "number", path: "grade.saturation", label: "Saturation", unit: "×", min: 0, max: 4, step: 0.02 },
    ],
  ],
  [
    "Bloom",
    [
      { is: "toggle", path: "bloom.enabled", label: "On" },
      { is: "number", path: "bloom.threshold", label: "Threshold", unit: "×", min: 0, max: 64, step: 0.1 },
      { is: "number", path: "bloom.strength", label: "Strength", min: 0, max: 4, step: 0.02 },
      { is: "number", path: "bloom.radius", label: "Radius", unit: "×", min: 0.001, max: 0.25, step: 0.002 },
    ],
  ],
  [
    "Depth of field",
    [
      { is: "toggle", path: "depth_of_field.enabled", label: "On" },
      { is: "number", path: "depth_of_field.focus_m", label: "Focus", unit: "m", min: 0.05, step: 0.1 },
      { is: "number", path: "depth_of_field.f_stop", label: "Aperture", unit: "f/", min: 0.5, max: 64, step: 0.1 },
    ],
  ],
  [
    "Shafts on the picture",
    [
      { is: "toggle", path: "shafts.enabled", label: "On" },
      { is: "number", path: "shafts.strength", label: "Strength", min: 0, max: 4, step: 0.02 },
      { is: "number", path: "shafts.length", label: "Length", unit: "×", min: 0.01, max: 1, step: 0.05 },
    ],
  ],
  [
    "Occlusion",
    [
      { is: "toggle", path: "occlusion.enabled", label: "On" },
      { is: "number", path: "occlusion.strength", label: "Strength", min: 0, max: 2, step: 0.05 },
      { is: "number", path: "occlusion.radius_m", label: "Radius", unit: "m", min: 0.01, max: 10, step: 0.05 },
    ],
  ],
  ["Detail", [{ is: "number", path: "sharpen", label: "Sharpen", min: -1, max: 1, step: 0.05 }]],
];

export function LookSections(props: { doc: Document; canEdit: boolean; edit: (op: Operation, gesture?: string) => void }) {
  const { doc, canEdit } = props;
  const { values, set, zone, choose } = useScope(props, "look");
  const exposure = useBench((s) => s.exposure);
  const file = useRef<HTMLInputElement>(null);
  async function takeCDL(f: File) {
    try {
      await take(api.PUT("/api/v1/levels/{id}/grade.cc", { params: { path: { id: doc.level.id } }, body: (await f.text()) as never, bodySerializer: (b) => b as never, headers: { "Content-Type": "application/xml" } }));
      notice(`Took the grade of ${f.name}.`);
    } catch (error) {
      complain(error);
    }
  }
  if (!values) return choose;
  const shown = zone === "" && exposure !== null ? { ...values, exposure_ev: exposure } : values;
  return (
    <>
      {choose}
      {sections.map(([name, fields]) => (
        <div key={name} className="section">
          <h3>{name}</h3>
          <Fields of={shown} fields={fields} disabled={!canEdit} set={(f, gesture) => {
              set(f, gesture);
              bench.set({ exposure: null });
            }} live={zone === "" ? (path, v) => path === "exposure_ev" && bench.set({ exposure: v }) : undefined} />
          {name === "Grade" && zone === "" && (
            <div className="mt-1 flex gap-1">
              <a className="btn btn-xs" href={`/api/v1/levels/${doc.level.id}/grade.cc`} download={`${doc.level.name}.cc`} title="Save as the XML of the ASC CDL">
                Save CDL
              </a>
              <button className="btn btn-xs" disabled={!canEdit} onClick={() => file.current?.click()}>
                Take CDL…
              </button>
              <input ref={file} type="file" hidden accept=".cc,.ccc,.cdl,.xml" aria-label="CDL to take" onChange={(e) => e.target.files?.[0] && takeCDL(e.target.files[0])} />
            </div>
          )}
        </div>
      ))}
    </>
  );
}

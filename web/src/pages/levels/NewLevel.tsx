import { useRef } from "react";
import { useMutation } from "@tanstack/react-query";
import { useLocation } from "wouter";
import { FilePlus2, FolderInput, Lightbulb } from "lucide-react";
import { api, take, type Schemas } from "../../api/client";
import type { Picked } from "../../api/bringIn";
import { complain } from "../../ui/messages";

type Start = NonNullable<Schemas["NewLevel"]["from"]>;
const otherDemos: [Start, string][] = [
  ["noon", "Saltmarsh Light, noon"],
  ["night", "Saltmarsh Light, night"],
  ["mill", "Paper Mill (story)"],
  ["yard", "Tram Yard (competitive)"],
];

/** Starts a level: from the demo, from an empty room, or from a file. */
export function NewLevel({ busy, onFiles }: { busy: boolean; onFiles: (files: Picked[]) => void }) {
  const [, go] = useLocation();
  const file = useRef<HTMLInputElement>(null);
  const create = useMutation({
    mutationFn: (from: Start) => take(api.POST("/api/v1/levels", { body: { from } })),
    onSuccess: (l) => go(`/levels/${l.id}`),
    onError: complain,
  });
  return (
    <div className="ml-auto flex gap-2">
      <button className="btn btn-xs" disabled={create.isPending} onClick={() => create.mutate("demo")}>
        <Lightbulb size={13} /> Open the demo
      </button>
      <select className="field !w-36 !bg-base-300" aria-label="Open another demo level" value="" onChange={(e) => create.mutate(e.target.value as Start)}>
        <option value="" disabled>
          Other demo levels…
        </option>
        {otherDemos.map(([from, name]) => (
          <option key={from} value={from}>
            {name}
          </option>
        ))}
      </select>
      <button className="btn btn-xs" disabled={create.isPending} onClick={() => create.mutate("room")}>
        <FilePlus2 size={13} /> New room
      </button>
      <button className="btn btn-xs" disabled={busy} onClick={() => file.current?.click()}>
        <FolderInput size={13} /> {busy ? "Bringing in…" : "Bring in a file"}
      </button>
      <input ref={file} type="file" hidden multiple accept=".glb,.gltf,.bin,.png,.jpg,.jpeg,.obj,.mtl,.ply,.stl,.zip,.json,.yaml" aria-label="File to bring in" onChange={(e) => e.target.files && onFiles([...e.target.files].map((file) => ({ path: file.name, file })))} />
    </div>
  );
}

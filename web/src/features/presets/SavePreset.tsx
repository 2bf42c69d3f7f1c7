import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, take, type Document } from "../../api/client";
import { complain, notice } from "../../ui/messages";

/** Saves the level's mood, its look alone or one of its rigs, as a preset or a new version of one. */
export function SavePreset({ doc }: { doc: Document }) {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [rig, setRig] = useState("");
  const [note, setNote] = useState("");
  const [tags, setTags] = useState("");
  const [credit, setCredit] = useState("");
  const save = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/presets", {
          body: { name, level: doc.level.id, ...(rig === ":look" ? { look: true } : rig ? { rig } : {}), note, credit, tags: tags.split(/[ ,]+/).filter(Boolean) },
        }),
      ),
    onSuccess: (p) => {
      notice(`Saved ${p.name}, version ${p.version}.`);
      setName("");
      return queries.invalidateQueries({ queryKey: ["presets"] });
    },
    onError: complain,
  });
  return (
    <form
      className="flex flex-col gap-1 px-3 pb-2"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <select className="field" aria-label="What to save" value={rig} onChange={(e) => setRig(e.target.value)}>
        <option value="">Mood: ambient, sky, fog, look</option>
        <option value=":look">Look alone</option>
        {doc.document.rigs.map((r) => (
          <option key={r.id} value={r.id}>
            Rig: {r.name || r.id}
          </option>
        ))}
      </select>
      <input className="field" aria-label="Name of the preset" placeholder="name-like-this" required pattern="[a-z0-9][a-z0-9._\-]{0,63}" title="a-z, 0-9, dot, dash and underscore" value={name} onChange={(e) => setName(e.target.value)} />
      <input className="field" aria-label="Note" placeholder="note" value={note} onChange={(e) => setNote(e.target.value)} />
      <input className="field" aria-label="Tags" placeholder="tags, with spaces between" value={tags} onChange={(e) => setTags(e.target.value)} />
      <input className="field" aria-label="Credit" placeholder="credit" value={credit} onChange={(e) => setCredit(e.target.value)} />
      <button className="btn btn-xs mt-1" disabled={save.isPending}>
        Save
      </button>
    </form>
  );
}

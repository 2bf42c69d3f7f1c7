import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, take, type Document } from "../../api/client";
import { complain, notice } from "../../ui/messages";

type Kind = "mood" | "sky" | "look" | "environment" | "density";
const kinds: [Kind, string][] = [
  ["mood", "Mood: sky, sun, ambient, fog, look"],
  ["sky", "Sky alone"],
  ["look", "Look alone"],
  ["environment", "Environment: mood and zones"],
  ["density", "Density plan"],
];

/** A preset's name, which may have its owner before it. */
function named(text: string): { owner?: string; name: string } {
  const [owner, name] = text.split("/");
  return name ? { owner: owner!, name } : { name: text };
}

/** Saves a piece of the level as a preset or a new version of one. */
export function SavePreset({ doc }: { doc: Document }) {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [what, setWhat] = useState("mood");
  const [note, setNote] = useState("");
  const [tags, setTags] = useState("");
  const [credit, setCredit] = useState("");
  const [changes, setChanges] = useState("");
  const piece = what.startsWith("rig ") ? { rig: what.slice(4) } : what.startsWith("zone ") ? { zone: what.slice(5) } : { kind: what as Kind };
  const save = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/presets", {
          body: { ...named(name), level: doc.level.id, ...piece, note, credit, changes, tags: tags.split(/[ ,]+/).filter(Boolean) },
        }),
      ),
    onSuccess: (p) => {
      notice(`Saved ${p.name}, version ${p.version}.${p.uncredited ? ` It cannot be shared until ${p.uncredited.join(", ")} has a credit and a licence.` : ""}`);
      setName("");
      setChanges("");
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
      <select className="field" aria-label="What to save" value={what} onChange={(e) => setWhat(e.target.value)}>
        {kinds.map(([kind, words]) => (
          <option key={kind} value={kind}>
            {words}
          </option>
        ))}
        {doc.document.zones.map((z) => (
          <option key={z.id} value={`zone ${z.id}`}>
            Zone set-up: {z.name || z.id}
          </option>
        ))}
        {doc.document.rigs.map((r) => (
          <option key={r.id} value={`rig ${r.id}`}>
            Rig: {r.name || r.id}
          </option>
        ))}
      </select>
      <input className="field" aria-label="Name of the preset" placeholder="name-like-this" required pattern="([a-z0-9._\-]+/)?[a-z0-9][a-z0-9._\-]{0,63}" title="a-z, 0-9, dot, dash and underscore; owner/name for a preset of your team" value={name} onChange={(e) => setName(e.target.value)} />
      <input className="field" aria-label="Note" placeholder="note" value={note} onChange={(e) => setNote(e.target.value)} />
      <input className="field" aria-label="Tags" placeholder="tags, with spaces between" value={tags} onChange={(e) => setTags(e.target.value)} />
      <input className="field" aria-label="Credit" placeholder="credit" value={credit} onChange={(e) => setCredit(e.target.value)} />
      <input className="field" aria-label="What changed" placeholder="what changed, for a new version" maxLength={400} value={changes} onChange={(e) => setChanges(e.target.value)} />
      <button className="btn btn-xs mt-1" disabled={save.isPending}>
        Save
      </button>
    </form>
  );
}

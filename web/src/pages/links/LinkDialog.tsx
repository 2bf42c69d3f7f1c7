import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api/client";
import { notice } from "../../ui/messages";
import { Window } from "../../ui/Window";

type Want = Pick<Schemas["NewShareLink"], "kind" | "level" | "preset">;
const spans: [number, string][] = [
  [1, "an hour"],
  [24, "a day"],
  [168, "a week"],
  [720, "a month"],
];

/** Makes a link that opens a level or a preset, or lets somebody join, and shows it once. */
export function LinkDialog({ want, about, onClose }: { want: Want; about: string; onClose: () => void }) {
  const queries = useQueryClient();
  const [role, setRole] = useState<"viewer" | "commenter" | "editor">("viewer");
  const [hours, setHours] = useState(168);
  const [note, setNote] = useState("");
  const make = useMutation({
    mutationFn: () => take(api.POST("/api/v1/links", { body: { ...want, hours, ...(note && { note }), ...(want.kind === "level" && { role }) } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["links"] }),
  });
  const address = make.data?.path ? location.origin + make.data.path : "";
  const words = { level: "Whoever has it and an account here sees the level.", preset: "Whoever has it and an account here sees the preset.", join: "Whoever has it makes an account with it, once." }[want.kind];
  return (
    <Window title={want.kind === "join" ? "Invite somebody" : `Link to ${about}`} note={`${words} You can withdraw it on your account page.`} onClose={onClose}>
      {address ? (
        <>
          <p className="mb-2">Copy it now, it is not shown again:</p>
          <code className="mb-3 block select-all break-all border border-[#4a4a4a] bg-base-200 p-2" data-testid="link">
            {address}
          </code>
          <div className="flex justify-end gap-2">
            <button className="btn btn-sm" onClick={() => void navigator.clipboard.writeText(address).then(() => notice("Copied."))}>
              Copy
            </button>
            <button className="btn btn-primary btn-sm" onClick={onClose}>
              Done
            </button>
          </div>
        </>
      ) : (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            make.mutate();
          }}
        >
          {want.kind === "level" && (
            <label className="row mb-1 flex items-center gap-2">
              <span className="dim w-28">Lets people</span>
              <select className="field" value={role} onChange={(e) => setRole(e.target.value as typeof role)}>
                <option value="viewer">see it</option>
                <option value="commenter">comment on it</option>
                <option value="editor">change it</option>
              </select>
            </label>
          )}
          <label className="row mb-1 flex items-center gap-2">
            <span className="dim w-28">Can be used for</span>
            <select className="field" value={hours} onChange={(e) => setHours(Number(e.target.value))}>
              {spans.map(([h, word]) => (
                <option key={h} value={h}>
                  {word}
                </option>
              ))}
            </select>
          </label>
          <label className="row mb-3 flex items-center gap-2">
            <span className="dim w-28">For whom</span>
            <input className="field" maxLength={200} placeholder="a note for yourself" value={note} onChange={(e) => setNote(e.target.value)} />
          </label>
          {make.isError && (
            <p className="mb-2 whitespace-pre-line text-error" role="alert">
              {make.error.message}
            </p>
          )}
          <button className="btn btn-primary btn-sm w-full" disabled={make.isPending}>
            Make the link
          </button>
        </form>
      )}
    </Window>
  );
}

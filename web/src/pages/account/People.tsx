import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api/client";
import { counted } from "../../ui/counted";
import { complain, notice } from "../../ui/messages";
import { Window } from "../../ui/Window";
import { Part } from "./Part";

type User = Schemas["User"];

/** For admins: who may sign in, and what they may. */
export function People({ user }: { user: string }) {
  const users = useQuery({ queryKey: ["users"], queryFn: () => take(api.GET("/api/v1/users")), staleTime: 0 });
  const queries = useQueryClient();
  const [doing, setDoing] = useState<{ what: "password" | "remove"; of: User } | null>(null);
  const again = () => queries.invalidateQueries({ queryKey: ["users"] });
  const change = useMutation({
    mutationFn: ({ name, to }: { name: string; to: Schemas["UserChange"] }) => take(api.PATCH("/api/v1/users/{name}", { params: { path: { name } }, body: to })),
    onSuccess: again,
    onError: complain,
  });
  return (
    <Part title="People" wide note="Who may sign in here. Invite somebody by a link, above. Who is kept from signing in loses their sessions and tokens at once; their levels stay.">
      {users.isError && <p className="text-error">{users.error.message}</p>}
      <ul>
        {users.data?.items.map((u) => (
          <li key={u.name} className="row flex items-center gap-3">
            <span className={`min-w-0 flex-1 truncate ${u.disabled ? "dim line-through" : ""}`}>{u.name}</span>
            <span className="dim">{counted(u.levels ?? 0, "level")}</span>
            <label className="flex items-center gap-1">
              <input type="checkbox" className="checkbox checkbox-xs" checked={u.admin ?? false} disabled={change.isPending} onChange={(e) => change.mutate({ name: u.name, to: { admin: e.target.checked } })} aria-label={`${u.name} is an admin`} />
              admin
            </label>
            <button className="btn btn-xs w-28" disabled={change.isPending || u.name === user} onClick={() => change.mutate({ name: u.name, to: { disabled: !u.disabled } })}>
              {u.disabled ? "Let in again" : "Keep out"}
            </button>
            <button className="btn btn-xs" disabled={u.name === user} onClick={() => setDoing({ what: "password", of: u })}>
              New password…
            </button>
            <button className="btn btn-xs" disabled={u.name === user} onClick={() => setDoing({ what: "remove", of: u })}>
              Remove…
            </button>
          </li>
        ))}
      </ul>
      {doing?.what === "password" && <NewPassword name={doing.of.name} onClose={() => setDoing(null)} />}
      {doing?.what === "remove" && <Remove of={doing.of} others={(users.data?.items ?? []).map((u) => u.name).filter((n) => n !== doing.of.name)} onClose={() => setDoing(null)} onDone={again} />}
    </Part>
  );
}

function NewPassword({ name, onClose }: { name: string; onClose: () => void }) {
  const [word, setWord] = useState("");
  const set = useMutation({
    mutationFn: () => take(api.PUT("/api/v1/users/{name}/password", { params: { path: { name } }, body: { new: word } })),
    onSuccess: () => {
      notice(`${name} has a new password. Their sessions and tokens have ended.`);
      onClose();
    },
  });
  return (
    <Window title={`New password of ${name}`} note="Tell it to them; they can change it themselves. Their sessions and tokens end." onClose={onClose}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          set.mutate();
        }}
      >
        <input className="field mb-2" type="text" aria-label="New password" autoFocus required minLength={10} autoComplete="off" value={word} onChange={(e) => setWord(e.target.value)} />
        {set.isError && (
          <p className="mb-2 whitespace-pre-line text-error" role="alert">
            {set.error.message}
          </p>
        )}
        <button className="btn btn-primary btn-sm w-full" disabled={set.isPending}>
          Set it
        </button>
      </form>
    </Window>
  );
}

function Remove({ of, others, onClose, onDone }: { of: User; others: readonly string[]; onClose: () => void; onDone: () => void }) {
  const [heir, setHeir] = useState(others[0] ?? "");
  const remove = useMutation({
    mutationFn: () => take(api.DELETE("/api/v1/users/{name}", { params: { path: { name: of.name }, query: heir ? { levels: "give", heir } : { levels: "delete" } } })),
    onSuccess: () => {
      notice(`Removed ${of.name}.`);
      onDone();
      onClose();
    },
  });
  return (
    <Window title={`Remove ${of.name}`} note="What they wrote into the levels of others stays." onClose={onClose}>
      <label className="row mb-3 flex items-center gap-2">
        <span className="dim">Their levels and presets</span>
        <select className="field" value={heir} onChange={(e) => setHeir(e.target.value)}>
          {others.map((n) => (
            <option key={n} value={n}>
              go to {n}
            </option>
          ))}
          <option value="">are deleted with them</option>
        </select>
      </label>
      {remove.isError && (
        <p className="mb-2 whitespace-pre-line text-error" role="alert">
          {remove.error.message}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <button className="btn btn-ghost btn-sm" onClick={onClose}>
          Cancel
        </button>
        <button className="btn btn-sm" disabled={remove.isPending} onClick={() => remove.mutate()}>
          Remove {of.name}
        </button>
      </div>
    </Window>
  );
}

import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "../../api/client";
import { complain, notice } from "../../ui/messages";
import { Window } from "../../ui/Window";
import { LinkDialog } from "../links/LinkDialog";

type Role = "" | "viewer" | "commenter" | "editor";
const roles: [Role, string][] = [
  ["", "may not see it"],
  ["viewer", "may see it"],
  ["commenter", "may comment on it"],
  ["editor", "may change it"],
];

/** Who may see a level, comment on it and change it: people, teams, and whoever has a link. */
export function ShareDialog({ id, name, user, onClose }: { id: string; name: string; user: string; onClose: () => void }) {
  const queries = useQueryClient();
  const doc = useQuery({ queryKey: ["level", id], queryFn: () => take(api.GET("/api/v1/levels/{id}", { params: { path: { id } } })) });
  const users = useQuery({ queryKey: ["users"], queryFn: () => take(api.GET("/api/v1/users")) });
  const teams = useQuery({ queryKey: ["teams"], queryFn: () => take(api.GET("/api/v1/teams")) });
  const [linking, setLinking] = useState(false);
  const again = () => Promise.all([queries.invalidateQueries({ queryKey: ["level", id] }), queries.invalidateQueries({ queryKey: ["levels"] })]);
  const give = useMutation({
    mutationFn: ({ who, role }: { who: string; role: Role }) => {
      const params = { path: { id, user: who } };
      return role === "" ? take(api.DELETE("/api/v1/levels/{id}/members/{user}", { params })) : take(api.PUT("/api/v1/levels/{id}/members/{user}", { params, body: { role } }));
    },
    onSuccess: again,
    onError: complain,
  });
  const giveTeam = useMutation({
    mutationFn: ({ who, role }: { who: string; role: Role }) => {
      const params = { path: { id, team: who } };
      return role === "" ? take(api.DELETE("/api/v1/levels/{id}/teams/{team}", { params })) : take(api.PUT("/api/v1/levels/{id}/teams/{team}", { params, body: { role } }));
    },
    onSuccess: again,
    onError: complain,
  });
  const pass = useMutation({
    mutationFn: (to: string) => take(api.PUT("/api/v1/levels/{id}/owner", { params: { path: { id } }, body: { user: to } })),
    onSuccess: async (_, to) => {
      notice(`${name} is ${to}'s now; you stay an editor.`);
      await again();
      onClose();
    },
    onError: complain,
  });
  const byUser = new Map(doc.data?.members.map((m) => [m.user, m.role]));
  const byTeam = new Map(doc.data?.teams.map((t) => [t.team, t.role]));
  const others = (users.data?.items ?? []).map((u) => u.name).filter((n) => n !== user);
  const busy = give.isPending || giveTeam.isPending || doc.isPending;
  const row = (who: string, role: Role, what: string, set: (role: Role) => void) => (
    <li key={who} className="row flex items-center gap-3 py-0.5">
      <span className="flex-1 truncate">{who}</span>
      <select className="field !w-40" aria-label={`What ${what} may do`} disabled={busy} value={role} onChange={(e) => set(e.target.value as Role)}>
        {roles.map(([r, words]) => (
          <option key={r} value={r}>
            {words}
          </option>
        ))}
      </select>
    </li>
  );
  return (
    <Window title={`Share ${name}`} note="Viewers see the level, its light and its checks. Commenters also say something about it. Editors change it and bake." onClose={onClose}>
      {(doc.isPending || users.isPending) && <p className="dim">Reading…</p>}
      {users.isSuccess && others.length === 0 && <p className="dim">Nobody else has an account here yet.</p>}
      <ul>{others.map((who) => row(who, byUser.get(who) ?? "", who, (role) => give.mutate({ who, role })))}</ul>
      {(teams.data?.items.length ?? 0) > 0 && (
        <>
          <h3 className="dim mt-2">Teams</h3>
          <ul>{teams.data?.items.map((t) => row(t.name, byTeam.get(t.name) ?? "", `the team ${t.name}`, (role) => giveTeam.mutate({ who: t.name, role })))}</ul>
        </>
      )}
      <div className="mt-4 flex items-center gap-2">
        <button className="btn btn-sm" onClick={() => setLinking(true)}>
          Make a link…
        </button>
        {others.length > 0 && (
          <select className="field !w-36" aria-label="Give it away" value="" disabled={pass.isPending} onChange={(e) => e.target.value && pass.mutate(e.target.value)}>
            <option value="">make owner…</option>
            {others.map((n) => (
              <option key={n}>{n}</option>
            ))}
          </select>
        )}
        <button className="btn btn-primary btn-sm ml-auto" onClick={onClose}>
          Done
        </button>
      </div>
      {linking && <LinkDialog want={{ kind: "level", level: id }} about={name} onClose={() => setLinking(false)} />}
    </Window>
  );
}

import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api/client";
import { counted } from "../../ui/counted";
import { complain } from "../../ui/messages";
import { NameDialog } from "../../ui/NameDialog";
import { Part } from "./Part";

type Team = Schemas["Team"];
type Role = Schemas["TeamMember"]["role"];
const roles: Role[] = ["owner", "editor", "commenter", "viewer"];

/** The teams that one is in: levels and presets are shared with all of a team at once. */
export function Teams({ user }: { user: string }) {
  const queries = useQueryClient();
  const teams = useQuery({ queryKey: ["teams"], queryFn: () => take(api.GET("/api/v1/teams")), staleTime: 0 });
  const [making, setMaking] = useState(false);
  const make = useMutation({
    mutationFn: (name: string) => take(api.POST("/api/v1/teams", { body: { name } })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["teams"] });
      setMaking(false);
    },
  });
  return (
    <Part title="Teams" note="Levels and presets are shared with all of a team at once. Each has on a level the lower of their role here and the team's on it.">
      {teams.isError && <p className="text-error">{teams.error.message}</p>}
      {teams.data?.items.length === 0 && <p className="dim mb-2">You are in no team.</p>}
      {teams.data?.items.map((t) => (
        <OneTeam key={t.name} team={t} user={user} />
      ))}
      <button className="btn btn-xs" onClick={() => setMaking(true)}>
        New team…
      </button>
      {making && <NameDialog title="New team" note="You own it, and say who is in it." first="" word="Make it" error={make.error?.message} busy={make.isPending} onName={(n) => make.mutate(n)} onClose={() => setMaking(false)} />}
    </Part>
  );
}

function OneTeam({ team: t, user }: { team: Team; user: string }) {
  const queries = useQueryClient();
  const users = useQuery({ queryKey: ["users"], queryFn: () => take(api.GET("/api/v1/users")) });
  const again = () => queries.invalidateQueries({ queryKey: ["teams"] });
  const set = useMutation({
    mutationFn: ({ who, role }: { who: string; role: Role | "" }) => {
      const params = { path: { team: t.name, user: who } };
      return role === "" ? take(api.DELETE("/api/v1/teams/{team}/members/{user}", { params })) : take(api.PUT("/api/v1/teams/{team}/members/{user}", { params, body: { role } }));
    },
    onSuccess: again,
    onError: complain,
  });
  const remove = useMutation({ mutationFn: () => take(api.DELETE("/api/v1/teams/{team}", { params: { path: { team: t.name } } })), onSuccess: again, onError: complain });
  const mine = t.role === "owner";
  const others = (users.data?.items ?? []).map((u) => u.name).filter((n) => !t.members.some((m) => m.user === n));
  return (
    <div className="mb-3 border-b border-[#101010] pb-2">
      <div className="flex items-center gap-2">
        <b className="min-w-0 flex-1 truncate">{t.name}</b>
        <span className="dim">
          {counted(t.levels, "level")}, {counted(t.presets, "preset")}
        </span>
        {mine ? (
          <button className="btn btn-xs" disabled={remove.isPending} onClick={() => remove.mutate()}>
            Delete
          </button>
        ) : (
          <button className="btn btn-xs" disabled={set.isPending} onClick={() => set.mutate({ who: user, role: "" })}>
            Leave
          </button>
        )}
      </div>
      <ul>
        {t.members.map((m) => (
          <li key={m.user} className="row flex items-center gap-2">
            <span className="min-w-0 flex-1 truncate">{m.user}</span>
            {mine ? (
              <select className="field !w-28" aria-label={`Role of ${m.user} in ${t.name}`} disabled={set.isPending} value={m.role} onChange={(e) => set.mutate({ who: m.user, role: e.target.value as Role | "" })}>
                {roles.map((r) => (
                  <option key={r}>{r}</option>
                ))}
                <option value="">take off</option>
              </select>
            ) : (
              <span className="dim">{m.role}</span>
            )}
          </li>
        ))}
      </ul>
      {mine && others.length > 0 && (
        <select className="field mt-1 !w-40" aria-label={`Add somebody to ${t.name}`} value="" disabled={set.isPending} onChange={(e) => set.mutate({ who: e.target.value, role: "editor" })}>
          <option value="">add somebody…</option>
          {others.map((n) => (
            <option key={n}>{n}</option>
          ))}
        </select>
      )}
    </div>
  );
}

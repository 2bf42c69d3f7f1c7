import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type PresetInfo } from "../../api/client";
import { complain } from "../../ui/messages";
import { Window } from "../../ui/Window";

/** With whom one of one's own presets is shared: people, teams, or everybody here. */
export function SharePreset({ preset, user, onClose }: { preset: PresetInfo; user: string; onClose: () => void }) {
  const queries = useQueryClient();
  const users = useQuery({ queryKey: ["users"], queryFn: () => take(api.GET("/api/v1/users")) });
  const teams = useQuery({ queryKey: ["teams"], queryFn: () => take(api.GET("/api/v1/teams")) });
  const share = useMutation({
    mutationFn: (to: { with: string[]; teams: string[] }) => take(api.PUT("/api/v1/presets/{name}/shares", { params: { path: { name: preset.name } }, body: to })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["presets"] }),
    onError: complain,
  });
  const people = ["everybody", ...(users.data?.items ?? []).map((u) => u.name).filter((n) => n !== user)];
  const toggled = (list: readonly string[], name: string, on: boolean) => (on ? [...list, name] : list.filter((x) => x !== name));
  const row = (name: string, checked: boolean, change: (on: boolean) => void) => (
    <label key={name} className="row flex items-center gap-2">
      <input type="checkbox" className="checkbox checkbox-xs" checked={checked} disabled={share.isPending} onChange={(e) => change(e.target.checked)} />
      {name}
    </label>
  );
  return (
    <Window title={`Share ${preset.name}`} note="Who may see it may put it into their levels and make their own of it." onClose={onClose}>
      <fieldset className="mb-3">
        <legend className="dim">People</legend>
        {people.map((n) => row(n, preset.shared.includes(n), (on) => share.mutate({ with: toggled(preset.shared, n, on), teams: preset.teams })))}
      </fieldset>
      <fieldset className="mb-3">
        <legend className="dim">Teams</legend>
        {teams.data?.items.length === 0 && <p className="dim">You are in no team. Make one on your account page.</p>}
        {teams.data?.items.map((t) => row(t.name, preset.teams.includes(t.name), (on) => share.mutate({ with: preset.shared, teams: toggled(preset.teams, t.name, on) })))}
      </fieldset>
      <button className="btn btn-primary btn-sm w-full" onClick={onClose}>
        Done
      </button>
    </Window>
  );
}

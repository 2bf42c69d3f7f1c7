import { useState, type FormEvent } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api/client";
import { complain, notice } from "../../ui/messages";
import { Shell } from "../../ui/Shell";
import { ago } from "../../ui/time";
import { Audit } from "./Audit";
import { Links } from "./Links";
import { Part } from "./Part";
import { People } from "./People";
import { Teams } from "./Teams";
import { Webhooks } from "./Webhooks";

/** One's own account: teams, links, password, where one is signed in, tokens and webhooks. */
export function Account({ user, admin }: { user: string; admin: boolean }) {
  return (
    <Shell user={user}>
      <h1 className="mb-4 text-base font-semibold">Account of {user}</h1>
      <div className="grid max-w-[1000px] gap-4 lg:grid-cols-2">
        <Teams user={user} />
        <Links admin={admin} />
        <Password user={user} />
        <Sessions />
        <Tokens />
        <Webhooks />
        {admin && <People user={user} />}
        {admin && <Audit />}
      </div>
    </Shell>
  );
}

const minPassword = 10;

function Password({ user }: { user: string }) {
  const [old, setOld] = useState("");
  const [next, setNext] = useState("");
  const [again, setAgain] = useState("");
  const differs = again !== "" && again !== next;
  const change = useMutation({
    mutationFn: () => take(api.PUT("/api/v1/users/{name}/password", { params: { path: { name: user } }, body: { old, new: next } })),
    onSuccess: () => {
      notice("The password is changed. Other sessions and all tokens have ended.");
      setOld("");
      setNext("");
      setAgain("");
    },
    onError: complain,
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (!differs) change.mutate();
  };
  const field = (label: string, value: string, set: (v: string) => void, complete: string, min?: number) => (
    <label className="mb-2 block">
      <span className="dim mb-0.5 block">{label}</span>
      <input type="password" className="field" required minLength={min} autoComplete={complete} value={value} onChange={(e) => set(e.target.value)} />
    </label>
  );
  return (
    <Part title="Password" note={`At least ${minPassword} characters. Changing it signs you out everywhere else and ends your tokens.`}>
      <form onSubmit={submit}>
        <input hidden readOnly autoComplete="username" value={user} />
        {field("Now", old, setOld, "current-password")}
        {field("New", next, setNext, "new-password", minPassword)}
        {field("New, again", again, setAgain, "new-password", minPassword)}
        {differs && <p className="mb-2 text-error">The two new ones differ.</p>}
        <button className="btn btn-primary btn-sm" disabled={change.isPending || differs}>
          Change the password
        </button>
      </form>
    </Part>
  );
}

/** A browser's own words for itself, cut down to what people know it by. */
export function browserOf(agent: string): string {
  const system = /Windows|Mac OS X|Android|iPhone|iPad|Linux/.exec(agent)?.[0] ?? "";
  const name = [["Edg/", "Edge"], ["Firefox/", "Firefox"], ["Chrome/", "Chrome"], ["Safari/", "Safari"]].find(([mark]) => agent.includes(mark!))?.[1];
  return [name ?? (agent.split("/")[0] || "unknown program"), system && `on ${system.replace("Mac OS X", "macOS")}`].filter(Boolean).join(" ");
}

function Sessions() {
  const queries = useQueryClient();
  const sessions = useQuery({ queryKey: ["sessions"], queryFn: () => take(api.GET("/api/v1/sessions")), staleTime: 0 });
  const end = useMutation({
    mutationFn: (id: string) => take(api.DELETE("/api/v1/sessions/{id}", { params: { path: { id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["sessions"] }),
    onError: complain,
  });
  return (
    <Part title="Sessions" note="Where you are signed in with the console.">
      {sessions.isPending && <p className="dim">Reading…</p>}
      {sessions.isError && <p className="text-error">{sessions.error.message}</p>}
      <ul>
        {sessions.data?.items.map((s) => (
          <li key={s.id} className="row flex items-center gap-3">
            <span className="min-w-0 flex-1 truncate" title={s.agent}>
              {browserOf(s.agent)}
            </span>
            <span className="dim">{s.created ? `since ${ago(s.created)}` : ""}</span>
            {s.here ? (
              <span className="dim w-16 text-right">this one</span>
            ) : (
              <button className="btn btn-xs w-16" disabled={end.isPending} onClick={() => end.mutate(s.id)}>
                End
              </button>
            )}
          </li>
        ))}
      </ul>
    </Part>
  );
}

type Scope = Schemas["NewToken"]["scopes"][number];
const scopes: [Scope, string][] = [
  ["read", "see"],
  ["edit", "change and bake"],
  ["share", "share"],
];

function Tokens() {
  const queries = useQueryClient();
  const tokens = useQuery({ queryKey: ["tokens"], queryFn: () => take(api.GET("/api/v1/tokens")), staleTime: 0 });
  const again = () => queries.invalidateQueries({ queryKey: ["tokens"] });
  const revoke = useMutation({ mutationFn: (id: string) => take(api.DELETE("/api/v1/tokens/{id}", { params: { path: { id } } })), onSuccess: again, onError: complain });
  return (
    <Part title="Tokens" note="For the command line and for scripts. Each may do only what it is given.">
      {tokens.isError && <p className="text-error">{tokens.error.message}</p>}
      {tokens.data?.items.length === 0 && <p className="dim mb-2">No tokens yet.</p>}
      <ul className="mb-3">
        {tokens.data?.items.map((t) => (
          <li key={t.id} className="row flex items-center gap-3">
            <span className="min-w-0 flex-1 truncate">{t.name}</span>
            <span className="dim">{t.scopes.join(", ")}</span>
            <span className="dim">{t.expires ? `until ${t.expires.slice(0, 10)}` : ""}</span>
            <button className="btn btn-xs w-16" disabled={revoke.isPending} onClick={() => revoke.mutate(t.id)}>
              End
            </button>
          </li>
        ))}
      </ul>
      <NewToken onMade={again} />
    </Part>
  );
}

function NewToken({ onMade }: { onMade: () => void }) {
  const [name, setName] = useState("");
  const [chosen, setChosen] = useState<Scope[]>(["read"]);
  const [days, setDays] = useState("90");
  const make = useMutation({
    mutationFn: () => take(api.POST("/api/v1/tokens", { body: { name, scopes: chosen, days: Number(days) } })),
    onSuccess: () => {
      setName("");
      onMade();
    },
    onError: complain,
  });
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <input className="field !w-36" aria-label="Name of the token" placeholder="what it is for" required maxLength={64} value={name} onChange={(e) => setName(e.target.value)} />
      {scopes.map(([scope, word]) => (
        <label key={scope} className="flex items-center gap-1">
          <input type="checkbox" className="checkbox checkbox-xs" checked={chosen.includes(scope)} onChange={(e) => setChosen(e.target.checked ? [...chosen, scope] : chosen.filter((s) => s !== scope))} />
          {word}
        </label>
      ))}
      <select className="field !w-24" aria-label="How long it holds" value={days} onChange={(e) => setDays(e.target.value)}>
        {["7", "30", "90", "365"].map((d) => (
          <option key={d} value={d}>
            {d} days
          </option>
        ))}
      </select>
      <button className="btn btn-xs" disabled={make.isPending || chosen.length === 0}>
        Make a token
      </button>
      {make.data?.secret && (
        <p className="w-full border border-[#4a4a4a] bg-base-200 p-2">
          Copy it now, it is not shown again: <code className="select-all break-all">{make.data.secret}</code>
        </p>
      )}
    </form>
  );
}

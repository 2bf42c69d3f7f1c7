import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "../../api/client";
import { complain } from "../../ui/messages";
import { LinkDialog } from "../links/LinkDialog";
import { Part } from "./Part";

/** The links that one has made, and who used them. */
export function Links({ admin }: { admin: boolean }) {
  const queries = useQueryClient();
  const links = useQuery({ queryKey: ["links"], queryFn: () => take(api.GET("/api/v1/links")), staleTime: 0 });
  const [inviting, setInviting] = useState(false);
  const withdraw = useMutation({
    mutationFn: (link: string) => take(api.DELETE("/api/v1/links/{link}", { params: { path: { link } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["links"] }),
    onError: complain,
  });
  const items = links.data?.items ?? [];
  return (
    <Part title="Links" note="What you opened by a link. Withdrawing one takes back what it opened; one that has expired opens nothing new.">
      {links.isError && <p className="text-error">{links.error.message}</p>}
      {links.isSuccess && items.length === 0 && <p className="dim mb-2">None yet. Levels and presets of yours have a link under Share.</p>}
      <ul className="mb-2">
        {items.map((l) => (
          <li key={l.id} className="row flex items-center gap-3">
            <span className="min-w-0 flex-1 truncate" title={l.note}>
              {l.kind === "join" ? "invitation" : `${l.about}${l.role ? `, as ${l.role}` : ""}`}
              {l.note && <span className="dim"> {l.note}</span>}
            </span>
            <span className="dim truncate">{l.uses.length === 0 ? "not used" : `used by ${l.uses.map((u) => u.user).join(", ")}`}</span>
            <span className="dim">{l.withdrawn ? "withdrawn" : Date.parse(l.expires) < Date.now() ? "expired" : `until ${l.expires.slice(0, 10)}`}</span>
            <button className="btn btn-xs" disabled={l.withdrawn || withdraw.isPending} onClick={() => withdraw.mutate(l.id)}>
              Withdraw
            </button>
          </li>
        ))}
      </ul>
      {admin && (
        <button className="btn btn-xs" onClick={() => setInviting(true)}>
          Invite somebody…
        </button>
      )}
      {inviting && <LinkDialog want={{ kind: "join" }} about="" onClose={() => setInviting(false)} />}
    </Part>
  );
}

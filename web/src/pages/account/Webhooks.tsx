import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "../../api/client";
import { complain } from "../../ui/messages";
import { Part } from "./Part";

/** Addresses that one's notices are sent to. */
export function Webhooks() {
  const queries = useQueryClient();
  const hooks = useQuery({ queryKey: ["webhooks"], queryFn: () => take(api.GET("/api/v1/webhooks")), staleTime: 0 });
  const again = () => queries.invalidateQueries({ queryKey: ["webhooks"] });
  const [url, setURL] = useState("");
  const make = useMutation({
    mutationFn: () => take(api.POST("/api/v1/webhooks", { body: { url } })),
    onSuccess: () => (setURL(""), again()),
    onError: complain,
  });
  const remove = useMutation({ mutationFn: (webhook: string) => take(api.DELETE("/api/v1/webhooks/{webhook}", { params: { path: { webhook } } })), onSuccess: again, onError: complain });
  return (
    <Part title="Webhooks" note="Your notices are sent there as JSON, signed. What fails is tried again for a day.">
      <ul className="mb-2">
        {hooks.data?.items.map((h) => (
          <li key={h.id} className="row flex items-center gap-3">
            <span className="min-w-0 flex-1 truncate" title={h.url}>
              {h.url}
            </span>
            <span className={h.failed > 0 ? "text-warning" : "dim"} title={h.fault}>
              {h.failed > 0 ? `failed ${h.failed}×` : `sent ${h.sent}`}
            </span>
            <button className="btn btn-xs" disabled={remove.isPending} onClick={() => remove.mutate(h.id)}>
              End
            </button>
          </li>
        ))}
      </ul>
      <form
        className="flex gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
      >
        <input className="field" type="url" aria-label="Address of the webhook" placeholder="https://…" required maxLength={500} value={url} onChange={(e) => setURL(e.target.value)} />
        <button className="btn btn-xs" disabled={make.isPending}>
          Add
        </button>
      </form>
      {make.data?.secret && (
        <p className="mt-2 border border-[#4a4a4a] bg-base-200 p-2">
          The key of the signature, shown once: <code className="select-all break-all">{make.data.secret}</code>
        </p>
      )}
    </Part>
  );
}

import { Bell as BellIcon } from "lucide-react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Button, Dialog, DialogTrigger, Popover } from "react-aria-components";
import { useLocation } from "wouter";
import { api, take, type Schemas } from "../../api/client";
import { ago } from "../../ui/time";

type Notice = Schemas["Notice"];
const askEveryMs = 20_000;

/** What others did that is about oneself: how much is unread, and a list of it. */
export function Bell() {
  const queries = useQueryClient();
  const notices = useQuery({ queryKey: ["notices"], queryFn: () => take(api.GET("/api/v1/notices")), refetchInterval: askEveryMs, refetchOnWindowFocus: true, staleTime: 0 });
  const read = useMutation({
    mutationFn: () => take(api.POST("/api/v1/notices/read", { body: {} })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["notices"] }),
  });
  const items = notices.data?.items ?? [];
  const unread = items.filter((n) => !n.read).length;
  return (
    <DialogTrigger onOpenChange={(open) => !open && unread > 0 && read.mutate()}>
      <Button className="btn btn-ghost btn-xs relative" aria-label={unread > 0 ? `${unread} new notices` : "Notices"}>
        <BellIcon size={14} />
        {unread > 0 && <span className="absolute -right-0.5 -top-0.5 grid h-3.5 min-w-3.5 place-items-center rounded-full bg-accent px-0.5 text-[9px] font-semibold text-black">{unread}</span>}
      </Button>
      <Popover placement="bottom end" className="w-80 border border-[#3a3a3a] bg-base-300 shadow-xl">
        <Dialog aria-label="Notices" className="max-h-96 overflow-auto p-1 outline-none">
          {({ close }) => (
            <>
              {items.length === 0 && <p className="dim p-2">Nobody has called you, shared anything with you or answered you yet.</p>}
              <ul>
                {items.map((n) => (
                  <Row key={n.id} notice={n} onGo={close} />
                ))}
              </ul>
            </>
          )}
        </Dialog>
      </Popover>
    </DialogTrigger>
  );
}

const verbs: Partial<Record<Notice["kind"], string>> = { mention: "calls you", answer: "answers" };

function Row({ notice: n, onGo }: { notice: Notice; onGo: () => void }) {
  const [, go] = useLocation();
  const words = verbs[n.kind] ? `${verbs[n.kind]}: ${n.text}` : n.text;
  return (
    <li>
      <button
        className={`block w-full px-2 py-1 text-left hover:bg-[#3a3a3a] ${n.read ? "dim" : ""}`}
        onClick={() => {
          if (n.level) go(`/levels/${n.level}`);
          else if (n.about?.includes("/")) go("/presets");
          onGo();
        }}
      >
        <b>{n.from}</b> {words}
        <span className="dim block text-[11px]">
          {n.about} {ago(n.created)}
        </span>
      </button>
    </li>
  );
}

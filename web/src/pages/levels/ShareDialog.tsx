import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Dialog, Modal, ModalOverlay } from "react-aria-components";
import { api, take } from "../../api/client";
import { complain } from "../../ui/messages";

type Role = "" | "viewer" | "editor";

/** Who may see a level, and who may change it. */
export function ShareDialog({ id, name, user, onClose }: { id: string; name: string; user: string; onClose: () => void }) {
  const queries = useQueryClient();
  const doc = useQuery({ queryKey: ["level", id], queryFn: () => take(api.GET("/api/v1/levels/{id}", { params: { path: { id } } })) });
  const users = useQuery({ queryKey: ["users"], queryFn: () => take(api.GET("/api/v1/users")) });
  const give = useMutation({
    mutationFn: ({ who, role }: { who: string; role: Role }) =>
      role === ""
        ? take(api.DELETE("/api/v1/levels/{id}/members/{user}", { params: { path: { id, user: who } } }))
        : take(api.PUT("/api/v1/levels/{id}/members/{user}", { params: { path: { id, user: who } }, body: { role } })),
    onSuccess: () => Promise.all([queries.invalidateQueries({ queryKey: ["level", id] }), queries.invalidateQueries({ queryKey: ["levels"] })]),
    onError: complain,
  });
  const roles = new Map(doc.data?.members.map((m) => [m.user, m.role]));
  const others = (users.data?.items ?? []).map((u) => u.name).filter((n) => n !== user);
  return (
    <ModalOverlay isOpen isDismissable onOpenChange={(open) => !open && onClose()} className="fixed inset-0 z-40 grid place-items-center bg-black/50">
      <Modal>
        <Dialog aria-label={`Share ${name}`} className="max-h-[80vh] w-96 overflow-auto border border-[#3a3a3a] bg-base-100 p-4 shadow-2xl outline-none">
          <h2 className="mb-1 font-semibold">Share {name}</h2>
          <p className="dim mb-3">Viewers see the level, its light and its checks. Editors change it and bake.</p>
          {(doc.isPending || users.isPending) && <p className="dim">Reading…</p>}
          {users.isSuccess && others.length === 0 && <p className="dim">Nobody else has an account here yet.</p>}
          <ul>
            {others.map((who) => (
              <li key={who} className="row flex items-center gap-3 py-0.5">
                <span className="flex-1 truncate">{who}</span>
                <select
                  className="field !w-36"
                  aria-label={`What ${who} may do`}
                  disabled={give.isPending || doc.isPending}
                  value={roles.get(who) ?? ""}
                  onChange={(e) => give.mutate({ who, role: e.target.value as Role })}
                >
                  <option value="">may not see it</option>
                  <option value="viewer">may see it</option>
                  <option value="editor">may change it</option>
                </select>
              </li>
            ))}
          </ul>
          <button className="btn btn-primary btn-sm mt-4 w-full" onClick={onClose}>
            Done
          </button>
        </Dialog>
      </Modal>
    </ModalOverlay>
  );
}

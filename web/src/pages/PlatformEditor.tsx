import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Dialog, Modal, ModalOverlay } from "react-aria-components";
import { api, bytes, take } from "../api/client";
import { asBytes } from "../api/bringIn";
import { notice } from "../ui/messages";

type Props = { name: string; own: boolean; onClose: () => void };

/** The profile of a platform as text: a copy of one, or one of one's own. It is judged when it is saved;
 *  each fault names its line. */
export function PlatformEditor({ name, own, onClose }: Props) {
  const queries = useQueryClient();
  const file = useQuery({
    queryKey: ["platform-file", name],
    queryFn: async () => new TextDecoder().decode(await bytes(`/api/v1/platforms/${encodeURIComponent(name)}/file`)),
    staleTime: 0,
    gcTime: 0,
  });
  const [typed, setTyped] = useState<string | null>(null);
  const text = typed ?? (own ? file.data : file.data?.replace(/^name: .*$/m, `name: my-${name}`)) ?? "";
  const save = useMutation({
    mutationFn: () => take(api.POST("/api/v1/platforms", { body: text as never, ...asBytes })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["platforms"] });
      notice("Platform saved.");
      onClose();
    },
  });
  return (
    <ModalOverlay isOpen isDismissable={typed === null} onOpenChange={(open) => !open && onClose()} className="fixed inset-0 z-40 grid place-items-center bg-black/50">
      <Modal>
        <Dialog aria-label="Platform" className="flex h-[82vh] w-[min(820px,94vw)] flex-col border border-[#3a3a3a] bg-base-100 p-4 shadow-2xl outline-none">
          <h2 className="mb-2 font-semibold">{own ? `Edit ${name}` : `A copy of ${name}`}</h2>
          {file.isPending && <p className="dim">Reading…</p>}
          {file.isError && <p className="text-error">{file.error.message}</p>}
          <textarea
            className="min-h-0 flex-1 resize-none whitespace-pre bg-[#141414] p-3 font-mono text-[12px] leading-5"
            aria-label="Profile"
            spellCheck={false}
            value={text}
            onChange={(e) => {
              setTyped(e.target.value);
              save.reset();
            }}
          />
          {save.isError && (
            <p className="mt-2 whitespace-pre-wrap text-error" role="alert">
              {save.error.message}
            </p>
          )}
          <div className="mt-3 flex justify-end gap-2">
            <button className="btn btn-ghost btn-sm" onClick={onClose}>
              Cancel
            </button>
            <button className="btn btn-primary btn-sm" disabled={save.isPending || text === ""} onClick={() => save.mutate()}>
              Save
            </button>
          </div>
        </Dialog>
      </Modal>
    </ModalOverlay>
  );
}

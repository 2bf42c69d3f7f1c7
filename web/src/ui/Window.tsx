import type { ReactNode } from "react";
import { Dialog, Modal, ModalOverlay } from "react-aria-components";

/** A window over the page; Escape and a click beside it close it. */
export function Window({ title, note, wide = false, onClose, children }: { title: string; note?: string; wide?: boolean; onClose: () => void; children: ReactNode }) {
  return (
    <ModalOverlay isOpen isDismissable onOpenChange={(open) => !open && onClose()} className="fixed inset-0 z-40 grid place-items-center bg-black/50">
      <Modal>
        <Dialog aria-label={title} className={`max-h-[86vh] overflow-auto border border-[#3a3a3a] bg-base-100 p-4 shadow-2xl outline-none ${wide ? "w-[min(1000px,95vw)]" : "w-[440px] max-w-[95vw]"}`}>
          <h2 className="mb-1 font-semibold">{title}</h2>
          {note && <p className="dim mb-3">{note}</p>}
          {children}
        </Dialog>
      </Modal>
    </ModalOverlay>
  );
}

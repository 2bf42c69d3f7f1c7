import { useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { Dialog, Modal, ModalOverlay } from "react-aria-components";
import { useLocation } from "wouter";
import { api, take, type Schemas } from "../../api/client";
import { counted } from "../../ui/counted";
import { complain } from "../../ui/messages";

type Imported = Schemas["Imported"];

/** Brings files in, one after the other, and keeps what came of them. */
export function useImport() {
  const queries = useQueryClient();
  const [, go] = useLocation();
  const [busy, setBusy] = useState(false);
  const [report, setReport] = useState<Imported[]>([]);
  async function bringIn(files: readonly File[]) {
    setBusy(true);
    const all: Imported[] = [];
    for (const f of files) {
      try {
        all.push(await importFile(f));
      } catch (error) {
        complain(new Error(`${f.name}: ${error instanceof Error ? error.message : String(error)}`));
      }
    }
    setBusy(false);
    await queries.invalidateQueries({ queryKey: ["levels"] });
    const [only] = all;
    if (only && all.length === 1 && only.left.length === 0) go(`/levels/${only.level.id}`);
    else setReport(all);
  }
  return { busy, bringIn, report, close: () => setReport([]), open: (id: string) => go(`/levels/${id}`) };
}

function importFile(f: File): Promise<Imported> {
  const name = f.name.replace(/\.[^.]+$/, "").slice(0, 120);
  return take(
    api.POST("/api/v1/levels/import", {
      params: { query: f.name.endsWith(".json") ? {} : { name } },
      body: f as unknown as string,
      bodySerializer: (b) => b,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );
}

/** What came of an import, and what did not come. */
export function ImportReport({ report, close, open }: Pick<ReturnType<typeof useImport>, "report" | "close" | "open">) {
  return (
    <ModalOverlay isOpen={report.length > 0} isDismissable onOpenChange={(o) => !o && close()} className="fixed inset-0 z-40 grid place-items-center bg-black/50">
      <Modal>
        <Dialog aria-label="What came in" className="flex max-h-[80vh] w-[520px] flex-col border border-[#3a3a3a] bg-base-100 p-4 shadow-2xl outline-none">
          {report.map(({ level, left }) => (
            <section key={level.id} className="mb-3 min-h-0 overflow-auto">
              <h2 className="font-semibold">{level.name} is brought in</h2>
              <p>
                {counted(level.solids + level.meshes, "shape")}, {counted(level.lights, "light")}.
              </p>
              {left.length > 0 && <p className="mt-2">Left out, or kept without being understood:</p>}
              <ul className="dim list-disc pl-5">
                {left.map((l, i) => (
                  <li key={i}>{l}</li>
                ))}
              </ul>
              <button className="btn btn-primary btn-sm mt-3" onClick={() => open(level.id)}>
                Open it
              </button>
            </section>
          ))}
          <button className="btn btn-sm" onClick={close}>
            Stay here
          </button>
        </Dialog>
      </Modal>
    </ModalOverlay>
  );
}

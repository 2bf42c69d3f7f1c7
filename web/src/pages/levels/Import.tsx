import { useRef, useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { Dialog, Modal, ModalOverlay } from "react-aria-components";
import { useLocation } from "wouter";
import { bringIn, bundlesOf, type Bundle, type HowToRead, type Imported, type Picked } from "../../api/bringIn";
import { api, take } from "../../api/client";
import { useReadingChoices } from "../../features/data";
import { caughtWords } from "../../ui/caught";
import { ReadingFields } from "../../ui/ReadingFields";
import { counted } from "../../ui/counted";
import { complain } from "../../ui/messages";
import { TerrainDialog } from "./Terrain";

type Came = { got: Imported; from: Bundle; how: HowToRead };

/** Brings files in, one after the other, and keeps what came of them. */
export function useImport() {
  const queries = useQueryClient();
  const [, go] = useLocation();
  const [busy, setBusy] = useState("");
  const [report, setReport] = useState<Came[]>([]);
  const stop = useRef<AbortController | null>(null);

  async function run(bundles: readonly Bundle[], how: HowToRead = {}) {
    stop.current = new AbortController();
    const all: Came[] = [];
    for (const from of bundles) {
      setBusy(from.main.file.name);
      try {
        all.push({ got: await bringIn(from, how, stop.current.signal), from, how });
      } catch (error) {
        if (stop.current.signal.aborted) break;
        complain(new Error(`${from.main.file.name}: ${error instanceof Error ? error.message : String(error)}`));
      }
    }
    setBusy("");
    await queries.invalidateQueries({ queryKey: ["levels"] });
    return all;
  }
  const [terrain, setTerrain] = useState<Bundle | null>(null);
  async function start(picked: readonly Picked[]) {
    const bundles = bundlesOf(picked);
    const [first] = bundles;
    // A picture alone is terrain, whose size it does not say.
    if (first && bundles.length === 1 && /\.png$/i.test(first.main.path)) return setTerrain(first);
    show(await run(bundles));
  }
  async function readTerrain(how: HowToRead) {
    const from = terrain;
    setTerrain(null);
    if (from) show(await run([from], how));
  }
  function show(all: Came[]) {
    const [only] = all;
    if (only && all.length === 1 && only.got.left.length === 0 && only.got.notes.length === 0) go(`/levels/${only.got.level.id}`);
    else setReport(all);
  }
  /** Reads a file again in another unit or along other axes; what it was read as before goes. */
  async function again(came: Came, how: HowToRead) {
    const [next] = await run([came.from], how);
    if (!next) return;
    await erase(came);
    setReport((all) => all.map((c) => (c === came ? next : c)));
    await queries.invalidateQueries({ queryKey: ["levels"] });
  }
  /** Takes back what was brought in, for good: it was only looked at. */
  async function drop(came: Came) {
    await erase(came);
    setReport((all) => all.filter((c) => c !== came));
    await queries.invalidateQueries({ queryKey: ["levels"] });
  }
  async function erase(came: Came) {
    const path = { path: { id: came.got.level.id } };
    await take(api.DELETE("/api/v1/levels/{id}", { params: path })).catch(complain);
    await take(api.DELETE("/api/v1/removed-levels/{id}", { params: path })).catch(complain);
  }
  return { busy, start, again, drop, terrain, readTerrain, leaveTerrain: () => setTerrain(null), cancel: () => stop.current?.abort(), report, close: () => setReport([]), open: (id: string) => go(`/levels/${id}`) };
}

type Importing = ReturnType<typeof useImport>;

/** What is being brought in, with a way to stop it. */
export function ImportProgress({ busy, cancel }: Pick<Importing, "busy" | "cancel">) {
  if (!busy) return null;
  return (
    <p className="mb-4 flex items-center gap-3 border border-[#4a4a4a] bg-base-100 px-3 py-2" role="status">
      <span className="loading loading-spinner loading-xs" /> <span className="min-w-0 flex-1 truncate">Bringing in {busy}…</span>
      <button className="btn btn-xs" onClick={cancel}>
        Cancel
      </button>
    </p>
  );
}

/** Asks for what a file does not say. */
export function ImportQuestion({ terrain, readTerrain, leaveTerrain }: Pick<Importing, "terrain" | "readTerrain" | "leaveTerrain">) {
  return terrain && <TerrainDialog file={terrain.main.file.name} onRead={(how) => void readTerrain(how)} onClose={leaveTerrain} />;
}

/** What came of an import, and what did not come. */
export function ImportReport({ report, close, open, again, drop, busy }: Pick<Importing, "report" | "close" | "open" | "again" | "drop" | "busy">) {
  return (
    <ModalOverlay isOpen={report.length > 0} isDismissable onOpenChange={(o) => !o && close()} className="fixed inset-0 z-40 grid place-items-center bg-black/50">
      <Modal>
        <Dialog aria-label="What came in" className="flex max-h-[80vh] w-[560px] flex-col border border-[#3a3a3a] bg-base-100 p-4 shadow-2xl outline-none">
          <div className="min-h-0 overflow-auto">
            {report.map((came) => (
              <One key={came.got.level.id} came={came} open={open} again={again} drop={drop} busy={busy !== ""} />
            ))}
          </div>
          <button className="btn btn-sm mt-2" onClick={close}>
            Stay here
          </button>
        </Dialog>
      </Modal>
    </ModalOverlay>
  );
}

type OneProps = { came: Came; open: Importing["open"]; again: Importing["again"]; drop: Importing["drop"]; busy: boolean };

function One({ came, open, again, drop, busy }: OneProps) {
  const choices = useReadingChoices();
  const { level, left, notes, caught } = came.got;
  const isDocument = /\.json$/i.test(came.from.main.file.name);
  return (
    <section className="mb-4">
      <h2 className="font-semibold">{level.name} is brought in</h2>
      <p>
        {counted(level.solids + level.meshes, "shape")}, {counted(level.lights, "light")}.
      </p>
      <ul className="mt-1">
        {notes.map((n, i) => (
          <li key={i}>{n}</li>
        ))}
      </ul>
      {caught && caught.length > 0 && (
        <ul className="mt-2" aria-label="What the rules caught">
          {caught.map((c, i) => (
            <li key={i} className="truncate" title={c.names.join(", ")}>
              {caughtWords(c)}
            </li>
          ))}
        </ul>
      )}
      {left.length > 0 && <p className="mt-2">Left out, or kept without being understood:</p>}
      <ul className="dim list-disc pl-5">
        {left.map((l, i) => (
          <li key={i}>{l}</li>
        ))}
      </ul>
      {!isDocument && (
        <div className="mt-3">
          <p className="dim mb-1">{busy ? "Reading it again…" : "Something is too large, lies on its side, is mirrored or is not what it should be? It is read again with"}</p>
          <ReadingFields choices={{ ...choices, scenes: came.got.scenes }} how={came.how} none="as the format has it" disabled={busy} onChange={(how) => void again(came, how)} />
        </div>
      )}
      <div className="mt-3 flex gap-2">
        <button className="btn btn-primary btn-sm" onClick={() => open(level.id)}>
          Open it
        </button>
        <button className="btn btn-sm" disabled={busy} title="The level goes as if the file had not been brought in" onClick={() => void drop(came)}>
          Do not keep it
        </button>
      </div>
    </section>
  );
}

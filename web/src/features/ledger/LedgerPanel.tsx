import type { Document } from "../../api/client";
import { bench, useBench } from "../../model/bench";
import { LinePlot } from "./LinePlot";
import { PairBook } from "./PairBook";
import { SpotBook } from "./SpotBook";

/** Who lights a spot, by how much, and what stands in the way; two spots beside each other; or the light along a line. */
export function LedgerPanel({ doc }: { doc: Document }) {
  const ledger = useBench((s) => s.ledger);
  const kept = useBench((s) => s.kept);
  const line = useBench((s) => s.line);
  if (line) return <LinePlot level={doc.level} from={line.from} to={line.to} normal={line.normal} answer={line.answer} />;
  if (ledger && kept) return <PairBook level={doc.level} kept={kept} asked={ledger} />;
  if (ledger) return <SpotBook level={doc.level} asked={ledger} />;
  if (kept) return <SpotBook level={doc.level} asked={kept} isKept />;
  return (
    <p className="dim p-4">
      <button className="underline" onClick={() => bench.set({ tool: { is: "ask" } })}>
        Ask a spot
      </button>{" "}
      who lights it, by how much, and what stands in the way; or{" "}
      <button className="underline" onClick={() => bench.set({ tool: { is: "line", from: null } })}>
        probe a line
      </button>{" "}
      for the light along it.
    </p>
  );
}

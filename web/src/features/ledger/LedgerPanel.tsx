import { bench, useBench } from "../../model/bench";
import { LinePlot } from "./LinePlot";
import { PairBook } from "./PairBook";
import { SpotBook } from "./SpotBook";

/** Who lights a spot, by how much, and what stands in the way; two spots beside each other; or the light along a line. */
export function LedgerPanel() {
  const ledger = useBench((s) => s.ledger);
  const kept = useBench((s) => s.kept);
  const line = useBench((s) => s.line);
  if (line) return <LinePlot from={line.from} to={line.to} answer={line.answer} />;
  if (ledger && kept) return <PairBook kept={kept} asked={ledger} />;
  if (ledger) return <SpotBook asked={ledger} />;
  if (kept) return <SpotBook asked={kept} isKept />;
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

import { useState, type DragEvent } from "react";
import { useQuery } from "@tanstack/react-query";
import { Search, Trash2 } from "lucide-react";
import { api, take } from "../../api/client";
import { orders, shownLevels, type Order } from "../../model/levelList";
import { Shell } from "../../ui/Shell";
import { Card } from "./Card";
import { dropped, type Picked } from "../../api/bringIn";
import { ImportProgress, ImportQuestion, ImportReport, useImport } from "./Import";
import { NewLevel } from "./NewLevel";
import { Removed, useRemoved } from "./Removed";

/** All levels that one may see. A file that is dropped anywhere is brought in. */
export function Levels({ user }: { user: string }) {
  const levels = useQuery({ queryKey: ["levels"], queryFn: () => take(api.GET("/api/v1/levels")), staleTime: 0 });
  const removed = useRemoved();
  const [search, setSearch] = useState("");
  const [order, setOrder] = useState<Order>("changed");
  const [bin, setBin] = useState(false);
  const bringing = useImport();
  const all = levels.data?.items ?? [];
  const shown = shownLevels(all, search, order);
  return (
    <Shell user={user}>
      <DropArea onFiles={bringing.start}>
        <div className="mb-4 flex flex-wrap items-center gap-3">
          <h1 className="text-base font-semibold">Levels</h1>
          <label className="relative">
            <Search size={13} className="dim absolute left-2 top-[5px]" />
            <input type="search" className="field !w-52 !pl-7" aria-label="Search the levels" placeholder="name, owner, platform" value={search} onChange={(e) => setSearch(e.target.value)} />
          </label>
          <select className="field !w-36 !bg-base-300" aria-label="Order" value={order} onChange={(e) => setOrder(e.target.value as Order)}>
            {orders.map(([o, name]) => (
              <option key={o} value={o}>
                {name}
              </option>
            ))}
          </select>
          {removed.length > 0 && (
            <button className="btn btn-ghost btn-xs" aria-pressed={bin} onClick={() => setBin(!bin)}>
              <Trash2 size={13} /> {removed.length} deleted
            </button>
          )}
          <NewLevel busy={bringing.busy !== ""} onFiles={bringing.start} />
        </div>
        <ImportProgress {...bringing} />
        {bin && removed.length > 0 && <Removed levels={removed} />}
        {levels.isError && (
          <p className="text-error">
            {levels.error.message}{" "}
            <button className="underline" onClick={() => levels.refetch()}>
              Try again
            </button>
          </p>
        )}
        {levels.isPending && <Skeleton />}
        {levels.isSuccess && all.length === 0 && <p className="dim">No levels yet. Open the demo to look around, drop a file or a folder here, or start from an empty room.</p>}
        {all.length > 0 && shown.length === 0 && <p className="dim">No level has “{search}” in its name, owner or platform.</p>}
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(250px,1fr))] gap-4" aria-label="Levels">
          {shown.map((l) => (
            <Card key={l.id} level={l} user={user} />
          ))}
        </ul>
      </DropArea>
      <ImportQuestion {...bringing} />
      <ImportReport {...bringing} />
    </Shell>
  );
}

function Skeleton() {
  return (
    <ul className="grid grid-cols-[repeat(auto-fill,minmax(250px,1fr))] gap-4" aria-busy="true" aria-label="Reading the levels">
      {[...Array(8).keys()].map((i) => (
        <li key={i} className="h-[212px] bg-base-100" />
      ))}
    </ul>
  );
}

/** Takes files that are dropped on it, and says so while they are over it. */
function DropArea({ onFiles, children }: { onFiles: (files: Picked[]) => void; children: React.ReactNode }) {
  const [over, setOver] = useState(0); // how deep: entering a child comes before leaving its parent
  const hasFiles = (e: DragEvent) => e.dataTransfer.types.includes("Files");
  return (
    <div
      className="relative min-h-full"
      onDragEnter={(e) => hasFiles(e) && setOver((n) => n + 1)}
      onDragLeave={(e) => hasFiles(e) && setOver((n) => n - 1)}
      onDragOver={(e) => hasFiles(e) && e.preventDefault()}
      onDrop={(e) => {
        if (!hasFiles(e)) return;
        e.preventDefault();
        setOver(0);
        void dropped(e.dataTransfer).then(onFiles);
      }}
    >
      {children}
      {over > 0 && <p className="pointer-events-none fixed inset-3 top-12 z-30 grid place-items-center border-2 border-dashed border-accent bg-[#161616cc] text-base">Drop a level here: glTF, OBJ, PLY, STL or a level document, with the files beside it, as a folder or a .zip</p>}
    </div>
  );
}

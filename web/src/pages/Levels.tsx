import { useRef, useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useLocation } from "wouter";
import { FilePlus2, FolderInput, Lightbulb } from "lucide-react";
import { api, take, type LevelInfo, type Schemas } from "../api/client";
import { complain, notice } from "../ui/messages";
import { Shell } from "../ui/Shell";
import { ago } from "../ui/time";

export function Levels({ user }: { user: string }) {
  const levels = useQuery({ queryKey: ["levels"], queryFn: () => take(api.GET("/api/v1/levels")), staleTime: 0 });
  const items = levels.data?.items ?? [];
  return (
    <Shell user={user}>
      <div className="mb-4 flex items-center gap-3">
        <h1 className="text-base font-semibold">Levels</h1>
        <NewLevel />
      </div>
      {levels.isError && <p className="text-error">{levels.error.message}</p>}
      {levels.isSuccess && items.length === 0 && (
        <p className="dim">No levels yet. Open the demo to look around, bring in a .glb, or start from an empty room.</p>
      )}
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(270px,1fr))] gap-4">
        {items.map((l) => (
          <Card key={l.id} level={l} />
        ))}
      </ul>
    </Shell>
  );
}

function Card({ level }: { level: LevelInfo }) {
  return (
    <li className="border border-[#101010] bg-base-100 hover:border-[#4a4a4a]">
      <Link href={`/levels/${level.id}`} className="block">
        <Thumbnail level={level} />
        <div className="px-3 py-2">
          <div className="font-semibold">{level.name}</div>
          <div className="dim">
            {level.solids + level.meshes} shapes, {level.lights} lights · revision {level.revision} · {ago(level.changed)}
          </div>
          {level.role !== "owner" && (
            <div className="dim">
              {level.owner}'s, you are {level.role}
            </div>
          )}
        </div>
      </Link>
    </li>
  );
}

/** A real shot of what is baked, or of the bare shapes where nothing is. */
function Thumbnail({ level }: { level: LevelInfo }) {
  const shot = useQuery({
    queryKey: ["thumbnail", level.id, level.revision],
    queryFn: async () => {
      const state = await take(api.GET("/api/v1/levels/{id}/lightmap", { params: { path: { id: level.id } } }));
      const lit = state.stale < state.sources.length;
      const { data } = await api.POST("/api/v1/levels/{id}/shots", {
        params: { path: { id: level.id } },
        body: { width: 480, height: 270, samples: 1, unlit: !lit },
        parseAs: "blob",
      });
      return URL.createObjectURL(data as unknown as Blob);
    },
    staleTime: Infinity,
  });
  return (
    <div className="aspect-video bg-base-200">
      {shot.data && <img src={shot.data} alt={`A shot of ${level.name}`} className="h-full w-full object-cover" />}
    </div>
  );
}

type Start = NonNullable<Schemas["NewLevel"]["from"]>;
const otherDemos: [Start, string][] = [
  ["noon", "Saltmarsh Light, noon"],
  ["night", "Saltmarsh Light, night"],
  ["mill", "Paper Mill (story)"],
  ["yard", "Tram Yard (competitive)"],
];

function NewLevel() {
  const queries = useQueryClient();
  const [, go] = useLocation();
  const file = useRef<HTMLInputElement>(null);
  const [busy, setBusy] = useState(false);
  const create = useMutation({
    mutationFn: (from: Start) => take(api.POST("/api/v1/levels", { body: { from } })),
    onSuccess: (l) => go(`/levels/${l.id}`),
    onError: complain,
  });
  async function bringIn(f: File) {
    setBusy(true);
    try {
      const name = f.name.replace(/\.[^.]+$/, "");
      const got = await take(
        api.POST("/api/v1/levels/import", {
          params: { query: f.name.endsWith(".json") ? {} : { name } },
          body: f as unknown as string,
          bodySerializer: (b) => b,
          headers: { "Content-Type": "application/octet-stream" },
        }),
      );
      if (got.left.length > 0) notice(`Left out or not understood:\n${got.left.join("\n")}`);
      await queries.invalidateQueries({ queryKey: ["levels"] });
      go(`/levels/${got.level.id}`);
    } catch (error) {
      complain(error);
    } finally {
      setBusy(false);
    }
  }
  return (
    <div className="ml-auto flex gap-2">
      <button className="btn btn-xs" onClick={() => create.mutate("demo")}>
        <Lightbulb size={13} /> Open the demo
      </button>
      <select className="field !w-36" aria-label="Open another demo level" value="" onChange={(e) => create.mutate(e.target.value as Start)}>
        <option value="" disabled>
          Other demo levels…
        </option>
        {otherDemos.map(([from, name]) => (
          <option key={from} value={from}>
            {name}
          </option>
        ))}
      </select>
      <button className="btn btn-xs" onClick={() => create.mutate("room")}>
        <FilePlus2 size={13} /> New room
      </button>
      <button className="btn btn-xs" disabled={busy} onClick={() => file.current?.click()}>
        <FolderInput size={13} /> Bring in a file
      </button>
      <input ref={file} type="file" hidden accept=".glb,.gltf,.json" aria-label="File to bring in" onChange={(e) => e.target.files?.[0] && bringIn(e.target.files[0])} />
    </div>
  );
}


import { useRef, useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { FolderInput } from "lucide-react";
import { api, take, type PresetInfo } from "../../api/client";
import { anyPreset, kindWords, refOf, usePresets, type Kind, type PresetSearch, type Sort } from "../../features/presets/usePresets";
import { counted } from "../../ui/counted";
import { complain, notice } from "../../ui/messages";
import { Shell } from "../../ui/Shell";
import { Compare } from "./Compare";
import { PresetDetail } from "./PresetDetail";
import { PresetGrid } from "./PresetGrid";

const mostCompared = 4;

/** The library: everything that is shared with one, found by words and by what it is. */
export function Presets({ user }: { user: string }) {
  const [search, setSearch] = useState<PresetSearch>(anyPreset);
  const [chosen, choose] = useState<PresetInfo | null>(null);
  const [compared, setCompared] = useState<PresetInfo[]>([]);
  const [comparing, setComparing] = useState(false);
  const found = usePresets(search);
  const items = found.data?.pages.flatMap((p) => p.items) ?? [];
  const first = found.data?.pages[0];
  const now = chosen && (items.find((p) => p.owner === chosen.owner && p.name === chosen.name) ?? chosen);
  const toggle = (p: PresetInfo) => setCompared(compared.some((c) => refOf(c) === refOf(p)) ? compared.filter((c) => refOf(c) !== refOf(p)) : [...compared.slice(-(mostCompared - 1)), p]);
  return (
    <Shell user={user}>
      <div className="flex h-full min-h-0 gap-4">
        <div className="flex min-w-0 flex-1 flex-col">
          <div className="mb-1 flex items-baseline gap-3">
            <h1 className="text-base font-semibold">Presets</h1>
            <span className="dim" aria-live="polite">
              {first ? (first.total >= 1000 ? "1000 or more" : counted(first.total, "preset")) : "…"}
            </span>
            <span className="ml-auto" />
            {compared.length > 0 && (
              <>
                <span className="dim">{compared.map((p) => p.name).join(", ")}</span>
                <button className="btn btn-xs" disabled={compared.length < 2} onClick={() => setComparing(true)}>
                  Compare {compared.length}
                </button>
                <button className="btn btn-ghost btn-xs" onClick={() => setCompared([])}>
                  None
                </button>
              </>
            )}
            <Unpack />
          </div>
          <Filters search={search} setSearch={setSearch} user={user} />
          {found.isError && <p className="text-error">{found.error.message}</p>}
          {found.isPending && <p className="dim p-2">Reading…</p>}
          {found.isSuccess && items.length === 0 && <Nothing tags={first?.try ?? []} onTag={(t) => setSearch({ ...anyPreset, tags: [t] })} onAll={() => setSearch(anyPreset)} />}
          <PresetGrid items={items} chosen={now} compared={compared} onChoose={choose} onCompare={toggle} onTag={(t) => setSearch({ ...search, tags: [...new Set([...search.tags, t])] })} more={found.hasNextPage && !found.isFetchingNextPage ? () => void found.fetchNextPage() : undefined} />
        </div>
        {now && <PresetDetail key={`${now.owner}/${now.name}`} preset={now} user={user} onClose={() => choose(null)} onOther={choose} />}
      </div>
      {comparing && <Compare presets={compared} onClose={() => setComparing(false)} />}
    </Shell>
  );
}

const colours = ["warm", "cool", "neutral", "red", "orange", "yellow", "green", "cyan", "blue", "magenta", "white"];
const brightness = ["dark", "dim", "medium", "bright"];
const sorts: [Sort, string][] = [
  ["best", "best first"],
  ["newest", "newest first"],
  ["taken", "most taken first"],
  ["name", "by name"],
];

function Filters({ search, setSearch, user }: { search: PresetSearch; setSearch: (s: PresetSearch) => void; user: string }) {
  const choice = (label: string, value: string, values: readonly (readonly [string, string])[], set: (v: string) => void) => (
    <select className="field !w-auto !pr-6" aria-label={label} value={value} onChange={(e) => set(e.target.value)}>
      {values.map(([v, word]) => (
        <option key={v} value={v}>
          {word}
        </option>
      ))}
    </select>
  );
  return (
    <div className="mb-3 flex flex-wrap items-center gap-2" role="search" aria-label="Find presets">
      <input className="field !w-64" type="search" aria-label="Words" placeholder="name, tag, note, owner" value={search.words} onChange={(e) => setSearch({ ...search, words: e.target.value })} />
      {choice("Kind", search.kinds[0] ?? "", [["", "any kind"], ...Object.entries(kindWords)], (v) => setSearch({ ...search, kinds: v ? [v as Kind] : [] }))}
      {choice("Colour of its light", search.colour, [["", "any colour"], ...colours.map((c) => [c, c] as const)], (v) => setSearch({ ...search, colour: v }))}
      {choice("Brightness of its light", search.brightness, [["", "any brightness"], ...brightness.map((c) => [c, c] as const)], (v) => setSearch({ ...search, brightness: v }))}
      {choice("Whose", search.owner, [["", "everybody's"], [user, "mine"], ["recipes", "of the library"]], (v) => setSearch({ ...search, owner: v }))}
      {choice("Order", search.sort, sorts, (v) => setSearch({ ...search, sort: v as Sort }))}
      {search.tags.map((t) => (
        <button key={t} className="btn btn-primary btn-xs" aria-pressed title="Leave this tag out again" onClick={() => setSearch({ ...search, tags: search.tags.filter((x) => x !== t) })}>
          {t}
        </button>
      ))}
      {search !== anyPreset && (
        <button className="btn btn-ghost btn-xs" onClick={() => setSearch(anyPreset)}>
          Clear
        </button>
      )}
    </div>
  );
}

function Nothing({ tags, onTag, onAll }: { tags: readonly string[]; onTag: (t: string) => void; onAll: () => void }) {
  return (
    <div className="p-2">
      <p className="dim mb-2">
        No preset has all of that.{" "}
        <button className="underline" onClick={onAll}>
          Show all
        </button>
        {tags.length > 0 && ", or try a tag:"}
      </p>
      <div className="flex flex-wrap gap-1">
        {tags.map((t) => (
          <button key={t} className="btn btn-xs" onClick={() => onTag(t)}>
            {t}
          </button>
        ))}
      </div>
    </div>
  );
}

/** Takes the presets of a bundle file. */
function Unpack() {
  const queries = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const read = useMutation({
    mutationFn: async (file: File) =>
      take(api.POST("/api/v1/bundles/read", { body: (await file.arrayBuffer()) as unknown as string, bodySerializer: (b: unknown) => b as BodyInit, headers: { "Content-Type": "application/octet-stream" } })),
    onSuccess: (got) => {
      notice(`Took ${counted(got.items.length, "preset")}: ${got.items.map((p) => p.name).join(", ")}.`);
      return queries.invalidateQueries({ queryKey: ["presets"] });
    },
    onError: complain,
  });
  return (
    <>
      <button className="btn btn-xs" disabled={read.isPending} onClick={() => input.current?.click()}>
        <FolderInput size={13} /> Take a bundle
      </button>
      <input
        ref={input}
        hidden
        type="file"
        accept=".zip"
        aria-label="Bundle file"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) read.mutate(file);
          e.target.value = "";
        }}
      />
    </>
  );
}

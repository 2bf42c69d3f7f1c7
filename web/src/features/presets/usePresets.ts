import { useInfiniteQuery } from "@tanstack/react-query";
import { api, take, type PresetInfo } from "../../api/client";
import { useSettled } from "../../ui/useSettled";

export type Kind = PresetInfo["kind"];
export type Sort = "best" | "newest" | "taken" | "name";

/** What presets are looked for; what is empty does not bind. */
export type PresetSearch = {
  words: string;
  kinds: readonly Kind[];
  tags: readonly string[];
  colour: string;
  brightness: string;
  owner: string;
  sort: Sort;
};

export const anyPreset: PresetSearch = { words: "", kinds: [], tags: [], colour: "", brightness: "", owner: "", sort: "best" };

const page = 60;
const typingMs = 200;

/** Pages of the presets that a search finds, as the service ranks them. */
export function usePresets(search: PresetSearch) {
  const words = useSettled(search.words, typingMs);
  const wanted = { ...search, words };
  return useInfiniteQuery({
    queryKey: ["presets", wanted],
    staleTime: 0,
    initialPageParam: 0,
    queryFn: ({ pageParam, signal }) =>
      take(
        api.GET("/api/v1/presets", {
          signal,
          params: {
            query: {
              sort: wanted.sort,
              limit: page,
              from: pageParam,
              ...(words && { words }),
              ...(wanted.kinds.length > 0 && { kind: [...wanted.kinds] }),
              ...(wanted.tags.length > 0 && { tag: [...wanted.tags] }),
              ...(wanted.colour && { colour: wanted.colour as "warm" }),
              ...(wanted.brightness && { brightness: wanted.brightness as "dim" }),
              ...(wanted.owner && { owner: wanted.owner }),
            },
          },
        }),
      ),
    getNextPageParam: (last, all) => (last.items.length === page ? all.length * page : undefined),
    placeholderData: (old) => old,
  });
}

/** What a preset is called, with its version where it is not the newest. */
export const refOf = (p: PresetInfo) => `${p.owner}/${p.name}@${p.version}`;

/** Kinds as people say them. */
export const kindWords: Record<Kind, string> = {
  rig: "rig",
  mood: "mood",
  look: "look",
  sky: "sky",
  zone: "zone set-up",
  density: "density plan",
  environment: "environment",
  hand_over: "hand-over",
  import_rules: "import rules",
  platform: "platform",
};

import { DataArrayTexture, HalfFloatType, NearestFilter, RGBAFormat } from "three";
import { tileSide, type Layer, type Preview } from "./layers";

// The lightmap that is shown is the weighted sum of layers. The card adds them up, tile by tile;
// here is which tiles it holds, where, and which of them have to be added up again.

export type Weight = readonly [number, number, number];
const dark: Weight = [0, 0, 0];
const previewKey = "preview";

/** What lux are multiplied by as half-floats, so that full sun fits: 1 048 064 lx at most. */
export const halfScale = 1 / 16;

/** Tiles of one sheet: every card takes a texture of so many. */
const perSheet = 256;
const texels = tileSide * tileSide;

/** Tiles on the card; which source has them does not matter to it. */
export type Sheet = { texture: DataArrayTexture; data: Uint16Array };

type Entry = { key: string; layer: Layer; weight: Weight; slots: number[]; stale?: string | undefined };

/** What is added to a tile: a slot of a sheet, times a weight. */
export type Addend = { x: number; y: number; slot: number; weight: Weight };

/** Addends of a page: for each sheet its own. They come to what is kept of the tiles, or to nothing, and make the
 *  lightmap, or what is kept. */
export type Sum = { page: number; onKept: boolean; keeps: boolean; tiles: { x: number; y: number }[]; addends: Addend[][] };

/** The most texels of all pages of which sums are kept: 16 bytes each. */
export const mostKept = 4 << 20;

export class Mix {
  readonly sheets: Sheet[] = [];
  private readonly free: number[] = [];
  private readonly entries = new Map<string, Entry>();
  private readonly parts = new Map<number, { entry: Entry; slot: number }[]>(); // of each tile
  private readonly due = new Set<number>();
  private readonly across: number;
  // While one source changes again and again, as under a hand, the sum of the others is kept tile by tile.
  private readonly changed = new Set<string>(); // sources, since the last sums
  private last = ""; // the source that alone had changed then
  private hot = ""; // the source that is not in what is kept
  private readonly kept = new Set<number>();

  constructor(
    readonly pageSize: number,
    readonly pages: number,
  ) {
    this.across = Math.ceil(pageSize / tileSide);
  }

  dispose() {
    for (const s of this.sheets) s.texture.dispose();
  }

  /** All has to be sent and added up again: for a card that has nothing of it yet. */
  beginAnew() {
    for (const { texture } of this.sheets) {
      texture.clearLayerUpdates();
      texture.needsUpdate = true;
    }
    for (const [id, e] of this.entries) this.touch(id, e);
    this.kept.clear();
    this.hot = this.last = "";
  }

  /** Puts a source's layer in, in place of an older one. */
  setLayer(source: string, key: string, layer: Layer) {
    const old = this.entries.get(source);
    if (old?.key === key || (old?.stale !== undefined && old.stale === key)) return;
    this.put(source, { key, layer, weight: dark, slots: [] });
  }

  /** Puts the light of a change that is not saved in, in place of a source's layer, until the
   *  service has another layer than the one it had; true if it was not there yet. */
  takesPreview({ id, layer }: Pick<Preview, "id" | "layer">): boolean {
    const old = this.entries.get(id);
    if (old?.layer === layer || layer.pageSize !== this.pageSize || layer.pages !== this.pages) return false;
    this.put(id, { key: previewKey, layer, weight: dark, slots: [], stale: old?.key === previewKey ? (old.stale ?? "") : (old?.key ?? "") });
    return true;
  }

  /** All is saved: the next layer of every source is taken, whichever it is. */
  settle() {
    for (const e of this.entries.values()) e.stale = undefined;
  }

  /** Takes out the layers of sources that are not there any more; true if there were any. */
  keepOnly(sources: ReadonlySet<string>): boolean {
    let any = false;
    for (const [id, e] of this.entries) {
      if (sources.has(id) || e.stale !== undefined) continue;
      this.remove(id);
      any = true;
    }
    return any;
  }

  /** Sets the weight of a source; true if that changed anything. */
  setWeight(source: string, weight: Weight): boolean {
    const e = this.entries.get(source);
    if (!e || (e.weight[0] === weight[0] && e.weight[1] === weight[1] && e.weight[2] === weight[2])) return false;
    e.weight = weight;
    this.touch(source, e);
    return true;
  }

  /** What has to be added up since the last call, page by page, in this order. */
  takeDue(): Sum[] {
    if (this.due.size === 0) return [];
    const hot = this.takeHot();
    const sums = new Map<string, Sum>();
    const add = (place: number, onKept: boolean, keeps: boolean, takes: (e: Entry) => boolean) => {
      const page = Math.floor(place / this.across ** 2);
      const [x, y] = [place % this.across, Math.floor(place / this.across) % this.across];
      const name = `${keeps} ${onKept} ${page}`;
      let sum = sums.get(name);
      if (!sum) sums.set(name, (sum = { page, onKept, keeps, tiles: [], addends: this.sheets.map(() => []) }));
      sum.tiles.push({ x, y });
      for (const { entry, slot } of this.parts.get(place) ?? []) {
        if (!takes(entry) || entry.weight.every((w) => w === 0)) continue;
        const k = entry.layer.scale * halfScale;
        sum.addends[Math.floor(slot / perSheet)]!.push({ x, y, slot: slot % perSheet, weight: [entry.weight[0] * k, entry.weight[1] * k, entry.weight[2] * k] });
      }
    };
    const own = this.entries.get(hot);
    for (const place of this.due) {
      if (!hot) {
        this.kept.delete(place);
        add(place, false, false, () => true);
        continue;
      }
      if (!this.kept.has(place)) {
        this.kept.add(place);
        add(place, false, true, (e) => e !== own);
      }
      add(place, true, false, (e) => e === own);
    }
    this.due.clear();
    return [...sums.values()].sort((a, b) => Number(b.keeps) - Number(a.keeps));
  }

  /** The source that changes alone, for the second time in a row; "" where there is none. */
  private takeHot(): string {
    const [only = ""] = this.changed.size === 1 ? this.changed : [];
    const hot = only !== "" && only === this.last && this.pages * this.pageSize ** 2 <= mostKept ? only : "";
    this.last = only;
    this.changed.clear();
    if (hot && hot !== this.hot) {
      this.hot = hot;
      this.kept.clear();
    }
    return hot;
  }

  private put(source: string, e: Entry) {
    this.remove(source);
    this.entries.set(source, e);
    for (const t of e.layer.tiles) {
      const slot = this.keep(t.half);
      e.slots.push(slot);
      const place = this.placeOf(t);
      const parts = this.parts.get(place);
      if (parts) parts.push({ entry: e, slot });
      else this.parts.set(place, [{ entry: e, slot }]);
    }
  }

  private remove(source: string) {
    const e = this.entries.get(source);
    if (!e) return;
    this.entries.delete(source);
    this.touch(source, e);
    for (const t of e.layer.tiles) {
      const place = this.placeOf(t);
      this.parts.set(
        place,
        (this.parts.get(place) ?? []).filter((p) => p.entry !== e),
      );
    }
    this.free.push(...e.slots);
  }

  private touch(source: string, e: Entry) {
    this.changed.add(source);
    for (const t of e.layer.tiles) this.due.add(this.placeOf(t));
  }

  private placeOf = (t: { page: number; x: number; y: number }) => (t.page * this.across + t.y) * this.across + t.x;

  /** Writes a tile into a free slot. */
  private keep(half: Uint16Array): number {
    if (this.free.length === 0) this.addSheet();
    const slot = this.free.pop()!; // addSheet left some
    const { data, texture } = this.sheets[Math.floor(slot / perSheet)]!;
    const layer = slot % perSheet;
    for (let to = layer * texels * 4, from = 0; from < half.length; to += 4, from += 3) {
      data[to] = half[from]!;
      data[to + 1] = half[from + 1]!;
      data[to + 2] = half[from + 2]!;
    }
    texture.addLayerUpdate(layer);
    texture.needsUpdate = true;
    return slot;
  }

  private addSheet() {
    const data = new Uint16Array(perSheet * texels * 4);
    const texture = new DataArrayTexture(data, tileSide, tileSide, perSheet);
    texture.format = RGBAFormat;
    texture.type = HalfFloatType;
    texture.minFilter = texture.magFilter = NearestFilter;
    const first = this.sheets.push({ texture, data }) * perSheet - perSheet;
    for (let i = perSheet - 1; i >= 0; i--) this.free.push(first + i);
  }
}

import { DataUtils } from "three";

// Baked layers and their mix, as core/bake has them: a layer is one source's
// light for unit white strength, in sparse tiles; the lightmap that is shown is
// their weighted sum. Changing a weight adds the difference of that one layer.

const TILE = 32;

export type Layer = { pageSize: number; pages: number; tiles: { page: number; x: number; y: number; lux: Float32Array }[] };

/** Reads what GET /levels/{id}/layers/{key} answers. */
export function parseLayer(data: ArrayBuffer): Layer {
  const head = new DataView(data);
  const pageSize = head.getUint32(0, true);
  const pages = head.getUint32(4, true);
  const scale = 2 ** head.getInt32(8, true);
  const count = head.getInt32(12, true);
  const values = TILE * TILE * 3;
  const tiles: Layer["tiles"] = [];
  let at = 16;
  for (let i = 0; i < count; i++) {
    const place = new Uint16Array(data, at, 4);
    const half = new Uint16Array(data, at + 8, values);
    const lux = new Float32Array(values);
    for (let k = 0; k < values; k++) {
      const h = half[k]!;
      if (h) lux[k] = DataUtils.fromHalfFloat(h) * scale;
    }
    tiles.push({ page: place[0]!, x: place[1]!, y: place[2]!, lux });
    at += 8 + 2 * values;
  }
  return { pageSize, pages, tiles };
}

/** A source with the direct light of a change that is not saved. */
export type Preview = { geometry: string; id: string; color: number[]; strength: number; weight: number[]; layer: Layer };

/** Reads what POST /levels/{id}/preview answers. */
export function parsePreview(data: ArrayBuffer): Preview {
  const length = new DataView(data).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as Omit<Preview, "layer">;
  return { ...head, layer: parseLayer(data.slice(4 + length)) };
}

export type Weight = readonly [number, number, number];
const dark: Weight = [0, 0, 0];
const previewKey = "preview";

/** The shown lightmap: lux in half-floats, RGBA, ready to be a texture. */
export class Mix {
  readonly half: Uint16Array;
  private readonly lux: Float32Array;
  private readonly layers = new Map<string, { key: string; layer: Layer; weight: Weight; stale?: string | undefined }>();

  constructor(
    readonly pageSize: number,
    readonly pages: number,
  ) {
    this.lux = new Float32Array(pageSize * pageSize * pages * 3);
    this.half = new Uint16Array(pageSize * pageSize * Math.max(pages, 1) * 4);
  }

  /** Puts a source's layer in, in place of an older one. */
  setLayer(source: string, key: string, layer: Layer) {
    const old = this.layers.get(source);
    if (old?.key === key || (old?.stale !== undefined && old.stale === key)) return;
    if (old) this.add(old.layer, old.weight.map((w) => -w) as unknown as Weight);
    this.layers.set(source, { key, layer, weight: dark });
  }

  /** Puts the light of a change that is not saved in, in place of a source's layer, until the
   *  service has another layer than the one it had; true if it was not there yet. */
  takesPreview({ id, layer }: Pick<Preview, "id" | "layer">): boolean {
    const old = this.layers.get(id);
    if (old?.layer === layer || layer.pageSize !== this.pageSize || layer.pages !== this.pages) return false;
    if (old) this.add(old.layer, old.weight.map((w) => -w) as unknown as Weight);
    this.layers.set(id, { key: previewKey, layer, weight: dark, stale: old?.key === previewKey ? (old.stale ?? "") : (old?.key ?? "") });
    return true;
  }

  /** All is saved: the next layer of every source is taken, whichever it is. */
  settle() {
    for (const e of this.layers.values()) e.stale = undefined;
  }

  /** Takes out the layers of sources that are not there any more. */
  keepOnly(sources: Set<string>) {
    for (const [id, e] of this.layers) {
      if (sources.has(id) || e.stale !== undefined) continue;
      this.add(e.layer, e.weight.map((w) => -w) as unknown as Weight);
      this.layers.delete(id);
    }
  }

  /** Sets the weight of a source; true if that changed anything. */
  setWeight(source: string, weight: Weight): boolean {
    const e = this.layers.get(source);
    if (!e || (e.weight[0] === weight[0] && e.weight[1] === weight[1] && e.weight[2] === weight[2])) return false;
    this.add(e.layer, [weight[0] - e.weight[0], weight[1] - e.weight[1], weight[2] - e.weight[2]]);
    e.weight = weight;
    return true;
  }

  private add(layer: Layer, k: Weight) {
    const { lux, half, pageSize } = this;
    for (const t of layer.tiles) {
      for (let y = 0; y < TILE; y++) {
        let texel = (t.page * pageSize + t.y * TILE + y) * pageSize + t.x * TILE;
        let from = y * TILE * 3;
        for (let x = 0; x < TILE; x++, texel++, from += 3) {
          const r = (lux[texel * 3]! += k[0] * t.lux[from]!);
          const g = (lux[texel * 3 + 1]! += k[1] * t.lux[from + 1]!);
          const b = (lux[texel * 3 + 2]! += k[2] * t.lux[from + 2]!);
          half[texel * 4] = toHalf(r);
          half[texel * 4 + 1] = toHalf(g);
          half[texel * 4 + 2] = toHalf(b);
        }
      }
    }
  }
}

/** What lux are multiplied by as half-floats, so that full sun fits: 1 048 064 lx at most. */
export const halfScale = 1 / 16;

/** Differences leave tiny remainders; below zero is black, above the range its end. */
function toHalf(v: number): number {
  return v <= 0 ? 0 : DataUtils.toHalfFloat(Math.min(v * halfScale, 65504));
}

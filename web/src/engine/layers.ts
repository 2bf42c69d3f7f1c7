// Baked layers, as core/bake has them: a layer is one source's light for unit white strength,
// in sparse tiles.

/** Texels along the side of a tile. */
export const tileSide = 32;

/** half has red, green and blue of each texel as half-floats; times the layer's scale they are lux. */
export type Tile = { page: number; x: number; y: number; half: Uint16Array };
export type Layer = { pageSize: number; pages: number; scale: number; tiles: Tile[] };

/** Reads one layer of what POST /levels/{id}/layers answers. */
export function parseLayer(data: ArrayBuffer): Layer {
  const head = new DataView(data);
  const pageSize = head.getUint32(0, true);
  const pages = head.getUint32(4, true);
  const scale = 2 ** head.getInt32(8, true);
  const count = head.getInt32(12, true);
  const values = tileSide * tileSide * 3;
  const tiles: Tile[] = [];
  for (let i = 0, at = 16; i < count; i++, at += 8 + 2 * values) {
    const [page, x, y] = new Uint16Array(data, at, 3);
    tiles.push({ page: page!, x: x!, y: y!, half: new Uint16Array(data, at + 8, values) });
  }
  return { pageSize, pages, scale, tiles };
}

export type Sent = { layers: { source: string; key: string; layer: Layer }[]; later: string[] };

/** Reads what POST /levels/{id}/layers answers. */
export function parseLayers(data: ArrayBuffer): Sent {
  const length = new DataView(data).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as { layers: { source: string; key: string; bytes: number }[]; later: string[] };
  let at = 4 + length;
  const layers = head.layers.map(({ source, key, bytes }) => ({ source, key, layer: parseLayer(data.slice(at, (at += bytes))) }));
  return { layers, later: head.later };
}

/** A source with the direct light of a change that is not saved. */
export type Preview = { geometry: string; id: string; color: number[]; strength: number; weight: number[]; layer: Layer };

/** Reads what POST /levels/{id}/preview answers. */
export function parsePreview(data: ArrayBuffer): Preview {
  const length = new DataView(data).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as Omit<Preview, "layer">;
  return { ...head, layer: parseLayer(data.slice(4 + length)) };
}

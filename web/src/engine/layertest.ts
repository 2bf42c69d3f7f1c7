import { DataUtils } from "three";

/** A layer as the service writes it: one tile with the same lux everywhere. */
export function raw(pageSize: number, pages: number, exponent: number, tiles: { page: number; x: number; y: number; lux: number }[]): ArrayBuffer {
  const data = new ArrayBuffer(16 + tiles.length * (8 + 6144));
  const view = new DataView(data);
  view.setUint32(0, pageSize, true);
  view.setUint32(4, pages, true);
  view.setInt32(8, exponent, true);
  view.setInt32(12, tiles.length, true);
  tiles.forEach((t, i) => {
    const at = 16 + i * (8 + 6144);
    [t.page, t.x, t.y, 0].forEach((v, k) => view.setUint16(at + 2 * k, v, true));
    for (let k = 0; k < 3072; k++) view.setUint16(at + 8 + 2 * k, DataUtils.toHalfFloat(t.lux), true);
  });
  return data;
}

import { describe, expect, it } from "vitest";
import { DataUtils } from "three";
import { halfScale, Mix, parseLayer, type Layer } from "./layers";
import { linear, swatch } from "./color";

/** A layer as the service writes it: one tile with the same lux everywhere. */
function raw(pageSize: number, pages: number, exponent: number, tiles: { page: number; x: number; y: number; lux: number }[]): ArrayBuffer {
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

const lux = (m: Mix, x: number, y: number, c: number, page = 0) => DataUtils.fromHalfFloat(m.half[((page * m.pageSize + y) * m.pageSize + x) * 4 + c]!) / halfScale;

describe("layers", () => {
  it("are read with their exponent", () => {
    const l = parseLayer(raw(64, 2, 3, [{ page: 1, x: 1, y: 0, lux: 2 }]));
    expect([l.pageSize, l.pages, l.tiles.length]).toEqual([64, 2, 1]);
    expect(l.tiles[0]).toMatchObject({ page: 1, x: 1, y: 0 });
    expect(l.tiles[0]!.lux[0]).toBe(16);
    expect(l.tiles[0]!.lux[3071]).toBe(16);
  });

  it("are empty where a source lights nothing", () => {
    expect(parseLayer(raw(64, 1, 0, [])).tiles).toEqual([]);
  });
});

describe("a mix", () => {
  const layer = (v: number): Layer => parseLayer(raw(64, 1, 0, [{ page: 0, x: 0, y: 0, lux: v }]));

  it("is the weighted sum of its layers", () => {
    const m = new Mix(64, 1);
    m.setLayer("a", "k1", layer(1));
    m.setLayer("b", "k2", layer(4));
    expect(m.setWeight("a", [2, 0, 1])).toBe(true);
    expect(m.setWeight("b", [0.5, 0.25, 0])).toBe(true);
    expect([0, 1, 2].map((c) => lux(m, 5, 5, c))).toEqual([4, 1, 1]);
    expect(lux(m, 40, 5, 0)).toBe(0);
  });

  it("follows a weight and tells whether it changed anything", () => {
    const m = new Mix(64, 1);
    m.setLayer("a", "k", layer(2));
    m.setWeight("a", [1, 1, 1]);
    expect(m.setWeight("a", [1, 1, 1])).toBe(false);
    expect(m.setWeight("nobody", [1, 1, 1])).toBe(false);
    m.setWeight("a", [3, 0, 0]);
    expect([lux(m, 0, 0, 0), lux(m, 0, 0, 1)]).toEqual([6, 0]);
  });

  it("swaps a layer for a newer one and forgets sources that went", () => {
    const m = new Mix(64, 1);
    m.setLayer("a", "old", layer(2));
    m.setWeight("a", [1, 1, 1]);
    m.setLayer("a", "new", layer(8));
    expect(lux(m, 1, 1, 0)).toBe(0);
    m.setWeight("a", [1, 1, 1]);
    expect(lux(m, 1, 1, 0)).toBe(8);
    m.keepOnly(new Set());
    expect(lux(m, 1, 1, 0)).toBe(0);
    expect(m.setWeight("a", [1, 1, 1])).toBe(false);
  });

  it("shows a preview in place of a layer until the service has another one", () => {
    const m = new Mix(64, 1);
    const put = (key: string, v: number) => {
      m.setLayer("a", key, layer(v));
      m.setWeight("a", [1, 1, 1]);
    };
    put("old", 4);
    const moved = layer(7);
    expect(m.takesPreview({ id: "a", layer: moved })).toBe(true);
    expect(m.takesPreview({ id: "a", layer: moved })).toBe(false);
    m.setWeight("a", [1, 1, 1]);
    put("old", 4); // the service still has the old one
    expect(lux(m, 0, 0, 0)).toBe(7);
    put("new", 6);
    expect(lux(m, 0, 0, 0)).toBe(6);
    m.takesPreview({ id: "a", layer: moved });
    m.settle();
    put("new", 6); // it was put back: what was there is right again
    expect(lux(m, 0, 0, 0)).toBe(6);
  });

  it("shows the preview of a light that was just placed, and drops it with the light", () => {
    const m = new Mix(64, 1);
    m.takesPreview({ id: "fresh", layer: layer(3) });
    m.setWeight("fresh", [1, 1, 1]);
    m.keepOnly(new Set());
    expect(lux(m, 0, 0, 0)).toBe(3);
    m.settle();
    m.keepOnly(new Set());
    expect(lux(m, 0, 0, 0)).toBe(0);
    expect(m.takesPreview({ id: "other", layer: parseLayer(raw(32, 1, 0, [])) })).toBe(false);
  });

  it("never goes below black or past half-floats", () => {
    const m = new Mix(64, 1);
    m.setLayer("a", "k", layer(60000));
    m.setWeight("a", [40, 1, 1]);
    expect(lux(m, 0, 0, 0)).toBe(65504 / halfScale);
    m.setWeight("a", [0.1, 1, 1]);
    m.setWeight("a", [0, 1, 1]);
    expect(lux(m, 0, 0, 0)).toBeGreaterThanOrEqual(0);
    expect(lux(m, 0, 0, 0)).toBeLessThan(0.5);
  });
});

describe("colours", () => {
  it("decode sRGB", () => {
    expect(linear("#000000")).toEqual([0, 0, 0]);
    expect(linear("#ffffff")).toEqual([1, 1, 1]);
    expect(linear("#808080")[0]).toBeCloseTo(0.21586, 4);
  });

  it("come back as swatches of full brightness", () => {
    for (const hex of ["#ff8040", "#40ff00", "#ffffff"]) expect(swatch(linear(hex).map((v) => v * 0.3))).toBe(hex);
    expect(swatch([0, 0, 0])).toBe("#000000");
  });
});

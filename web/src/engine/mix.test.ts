import { describe, expect, it } from "vitest";
import { DataUtils } from "three";
import { parseLayer, tileSide, type Layer } from "./layers";
import { raw } from "./layertest";
import { halfScale, Mix } from "./mix";

/** What the card does with a mix: the lux at the first texel of each tile, by "page x y". */
function card(mix: Mix) {
  const shown = new Map<string, number[]>(), kept = new Map<string, number[]>();
  return (x: number, y: number, c: number, page = 0): number => {
    for (const sum of mix.takeDue()) {
      const lux = sum.keeps ? kept : shown;
      for (const t of sum.tiles) {
        const name = `${sum.page} ${t.x} ${t.y}`;
        lux.set(name, sum.onKept ? [...kept.get(name)!] : [0, 0, 0]);
      }
      sum.addends.forEach((list, sheet) => {
        for (const { x, y, slot, weight } of list) {
          const at = lux.get(`${sum.page} ${x} ${y}`)!;
          weight.forEach((w, i) => (at[i]! += (w / halfScale) * DataUtils.fromHalfFloat(mix.sheets[sheet]!.data[slot * tileSide * tileSide * 4 + i]!)));
        }
      });
    }
    return shown.get(`${page} ${Math.floor(x / tileSide)} ${Math.floor(y / tileSide)}`)?.[c] ?? 0;
  };
}

describe("a mix", () => {
  const layer = (v: number): Layer => parseLayer(raw(64, 1, 0, [{ page: 0, x: 0, y: 0, lux: v }]));

  it("is the weighted sum of its layers", () => {
    const m = new Mix(64, 1);
    const lux = card(m);
    m.setLayer("a", "k1", layer(1));
    m.setLayer("b", "k2", layer(4));
    expect(m.setWeight("a", [2, 0, 1])).toBe(true);
    expect(m.setWeight("b", [0.5, 0.25, 0])).toBe(true);
    expect([0, 1, 2].map((c) => lux(5, 5, c))).toEqual([4, 1, 1]);
    expect(lux(40, 5, 0)).toBe(0);
  });

  it("keeps the sum of the others while one source changes again and again", () => {
    const m = new Mix(64, 1);
    const lux = card(m);
    m.setLayer("a", "k1", layer(1));
    m.setLayer("b", "k2", layer(4));
    m.setWeight("a", [1, 1, 1]);
    m.setWeight("b", [1, 1, 1]);
    expect(lux(5, 5, 0)).toBe(5);
    for (const w of [2, 3, 4, 0, 7]) {
      m.setWeight("a", [w, w, w]);
      expect(lux(5, 5, 0)).toBe(w + 4);
    }
    m.setWeight("a", [6, 6, 6]);
    expect(m.takeDue().map((s) => [s.onKept, s.keeps, s.addends.flat().length])).toEqual([[true, false, 1]]); // itself alone
    // Another one changes: what is kept is of no use, for either of them.
    m.setWeight("b", [2, 2, 2]);
    expect(lux(5, 5, 0)).toBe(14);
    m.setWeight("a", [1, 1, 1]);
    expect(lux(5, 5, 0)).toBe(9);
    m.setWeight("a", [2, 2, 2]);
    expect(lux(5, 5, 0)).toBe(10);
    m.setWeight("b", [3, 3, 3]);
    m.setWeight("a", [3, 3, 3]);
    expect(lux(5, 5, 0)).toBe(15);
    for (const w of [1, 2, 3]) {
      m.setWeight("b", [w, w, w]);
      expect(lux(5, 5, 0)).toBe(3 + 4 * w);
    }
    // A layer that is swapped again and again, as of a lamp that is dragged.
    for (const v of [2, 8, 16]) {
      m.takesPreview({ id: "a", layer: layer(v) });
      m.setWeight("a", [1, 1, 1]);
      expect(lux(5, 5, 0)).toBe(v + 12);
    }
  });

  it("follows a weight and tells whether it changed anything", () => {
    const m = new Mix(64, 1);
    const lux = card(m);
    m.setLayer("a", "k", layer(2));
    m.setWeight("a", [1, 1, 1]);
    expect(m.setWeight("a", [1, 1, 1])).toBe(false);
    expect(m.setWeight("nobody", [1, 1, 1])).toBe(false);
    m.setWeight("a", [3, 0, 0]);
    expect([lux(0, 0, 0), lux(0, 0, 1)]).toEqual([6, 0]);
  });

  it("swaps a layer for a newer one and forgets sources that went", () => {
    const m = new Mix(64, 1);
    const lux = card(m);
    m.setLayer("a", "old", layer(2));
    m.setWeight("a", [1, 1, 1]);
    m.setLayer("a", "new", layer(8));
    expect(lux(1, 1, 0)).toBe(0);
    m.setWeight("a", [1, 1, 1]);
    expect(lux(1, 1, 0)).toBe(8);
    m.keepOnly(new Set());
    expect(lux(1, 1, 0)).toBe(0);
    expect(m.setWeight("a", [1, 1, 1])).toBe(false);
  });

  it("shows a preview in place of a layer until the service has another one", () => {
    const m = new Mix(64, 1);
    const lux = card(m);
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
    expect(lux(0, 0, 0)).toBe(7);
    put("new", 6);
    expect(lux(0, 0, 0)).toBe(6);
    m.takesPreview({ id: "a", layer: moved });
    m.settle();
    put("new", 6); // it was put back: what was there is right again
    expect(lux(0, 0, 0)).toBe(6);
  });

  it("shows the preview of a light that was just placed, and drops it with the light", () => {
    const m = new Mix(64, 1);
    const lux = card(m);
    m.takesPreview({ id: "fresh", layer: layer(3) });
    m.setWeight("fresh", [1, 1, 1]);
    m.keepOnly(new Set());
    expect(lux(0, 0, 0)).toBe(3);
    m.settle();
    m.keepOnly(new Set());
    expect(lux(0, 0, 0)).toBe(0);
    expect(m.takesPreview({ id: "other", layer: parseLayer(raw(32, 1, 0, [])) })).toBe(false);
  });

  it("adds up only what changed, and all of it for a new card", () => {
    const m = new Mix(64, 2);
    m.setLayer("a", "k", parseLayer(raw(64, 2, 0, [{ page: 0, x: 0, y: 0, lux: 1 }, { page: 1, x: 1, y: 1, lux: 1 }])));
    m.setLayer("b", "k", parseLayer(raw(64, 2, 0, [{ page: 0, x: 0, y: 0, lux: 2 }])));
    m.setWeight("a", [1, 1, 1]);
    m.setWeight("b", [1, 1, 1]);
    expect(m.takeDue().map((s) => [s.page, s.tiles, s.addends[0]!.length])).toEqual([
      [0, [{ x: 0, y: 0 }], 2],
      [1, [{ x: 1, y: 1 }], 1],
    ]);
    expect(m.takeDue()).toEqual([]);
    m.setWeight("b", [0, 0, 0]);
    expect(m.takeDue().map((s) => [s.page, s.addends[0]!.length])).toEqual([[0, 1]]);
    m.beginAnew();
    expect(m.takeDue().map((s) => s.page)).toEqual([0, 1]);
  });

  it("uses the room of layers that went, and takes another sheet where there is none", () => {
    const m = new Mix(64, 1);
    for (let i = 0; i < 300; i++) m.setLayer("a", `k${i}`, layer(i));
    expect(m.sheets.length).toBe(1);
    for (let i = 0; i < 300; i++) m.setLayer(`s${i}`, "k", layer(1));
    for (let i = 0; i < 300; i++) m.setWeight(`s${i}`, [1, 1, 1]);
    m.keepOnly(new Set(Array.from({ length: 300 }, (_, i) => `s${i}`)));
    expect(m.sheets.length).toBe(2);
    expect(card(m)(0, 0, 0)).toBeCloseTo(300, 2);
  });
});

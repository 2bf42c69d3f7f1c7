import { describe, expect, it } from "vitest";
import { DataUtils } from "three";
import { parseLayer } from "./layers";
import { raw } from "./layertest";

describe("layers", () => {
  it("are read with their exponent", () => {
    const l = parseLayer(raw(64, 2, 3, [{ page: 1, x: 1, y: 0, lux: 2 }]));
    expect([l.pageSize, l.pages, l.tiles.length]).toEqual([64, 2, 1]);
    expect(l.tiles[0]).toMatchObject({ page: 1, x: 1, y: 0 });
    expect([0, 3071].map((i) => DataUtils.fromHalfFloat(l.tiles[0]!.half[i]!) * l.scale)).toEqual([16, 16]);
  });

  it("are empty where a source lights nothing", () => {
    expect(parseLayer(raw(64, 1, 0, [])).tiles).toEqual([]);
  });
});

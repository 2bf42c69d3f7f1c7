import { describe, expect, it } from "vitest";
import { DataUtils } from "three";
import { parseLayer, parseLayers } from "./layers";
import { raw } from "./layertest";

describe("layers", () => {
  it("are read with their exponent", () => {
    const l = parseLayer(raw(64, 2, 3, [{ page: 1, x: 1, y: 0, lux: 2 }]));
    expect([l.pageSize, l.pages, l.tiles.length]).toEqual([64, 2, 1]);
    expect(l.tiles[0]).toMatchObject({ page: 1, x: 1, y: 0 });
    expect([0, 3071].map((i) => DataUtils.fromHalfFloat(l.tiles[0]!.half[i]!) * l.scale)).toEqual([16, 16]);
  });

  it("come many in one answer", () => {
    const two = [raw(64, 1, 0, [{ page: 0, x: 0, y: 0, lux: 1 }]), raw(64, 1, 1, [])];
    const head = new TextEncoder().encode(JSON.stringify({ layers: [{ source: "a", key: "k", bytes: two[0]!.byteLength }, { source: "b", key: "l", bytes: 16 }], later: ["c"] }).padEnd(128));
    const data = new Uint8Array(4 + 128 + two[0]!.byteLength + 16);
    new DataView(data.buffer).setUint32(0, 128, true);
    data.set(head, 4);
    data.set(new Uint8Array(two[0]!), 132);
    data.set(new Uint8Array(two[1]!), 132 + two[0]!.byteLength);
    const sent = parseLayers(data.buffer);
    expect(sent.later).toEqual(["c"]);
    expect(sent.layers.map((l) => [l.source, l.key, l.layer.tiles.length, l.layer.scale])).toEqual([["a", "k", 1, 1], ["b", "l", 0, 2]]);
  });

  it("are empty where a source lights nothing", () => {
    expect(parseLayer(raw(64, 1, 0, [])).tiles).toEqual([]);
  });
});

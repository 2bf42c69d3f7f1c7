import { expect, test } from "vitest";
import { LayerLoader, type Loaded, type Read, type Wanted } from "./layerLoader";

const layer = { pageSize: 32, pages: 1, scale: 1, tiles: [] };
const wanted = (n: number, from = 0): Wanted[] => Array.from({ length: n }, (_, i) => ({ source: `s${from + i}`, key: `k${from + i}` }));
const all = (w: readonly Wanted[]): Loaded[] => w.map((one) => ({ ...one, layer }));
const settled = async () => {
  for (let i = 0; i < 50; i++) await Promise.resolve();
};

test("many layers come in a few answers, in order, and are told of once each", async () => {
  const asked: number[] = [];
  const loader = new LayerLoader((w) => (asked.push(w.length), Promise.resolve({ layers: all(w), later: [] })));
  let told = 0;
  loader.subscribe(() => told++);
  loader.want(wanted(500));
  await settled();
  expect(asked).toEqual([64, 128, 256, 52]);
  expect(told).toBe(4);
  expect(loader.snapshot().layers.map((l) => l.source)).toEqual(wanted(500).map((w) => w.source));
});

test("what did not fit is asked for again, what is not there is not", async () => {
  const asked: string[][] = [];
  const loader = new LayerLoader((w) => {
    asked.push(w.map((one) => one.source));
    return Promise.resolve({ layers: all(w.slice(0, 2).filter((one) => one.source !== "s1")), later: w.slice(2).map((one) => one.source) });
  });
  loader.want(wanted(4));
  await settled();
  expect(asked).toEqual([["s0", "s1", "s2", "s3"], ["s2", "s3"]]);
  expect(loader.snapshot().layers.map((l) => l.source)).toEqual(["s0", "s2", "s3"]);
});

test("an answer that fails is said and asked for again", async () => {
  let fails = 2;
  const slept: number[] = [];
  const told: string[] = [];
  const read: Read = (w) => (fails-- > 0 ? Promise.reject(new Error("no line")) : Promise.resolve({ layers: all(w), later: [] }));
  const loader = new LayerLoader(read, (ms) => (slept.push(ms), Promise.resolve()));
  loader.subscribe(() => told.push(loader.snapshot().trouble));
  loader.want(wanted(3));
  await settled();
  expect(slept).toEqual([500, 2000]);
  expect(told).toEqual(["no line", ""]);
  expect(loader.snapshot().layers).toHaveLength(3);
});

test("layers that are wanted again within a while are not read again", async () => {
  let reads = 0;
  const loader = new LayerLoader((w) => (reads++, Promise.resolve({ layers: all(w), later: [] })));
  loader.want(wanted(3));
  await settled();
  loader.want(wanted(3, 3));
  await settled();
  loader.want(wanted(3));
  await settled();
  expect(reads).toBe(2);
  loader.want(wanted(100, 10));
  await settled();
  loader.want(wanted(3, 110));
  await settled();
  loader.want(wanted(3));
  await settled();
  expect(reads).toBe(6); // the hundred came in two answers; 64 of what went before are kept, and these three are not among them
});

test("nothing is told after it is closed", async () => {
  let stopped = false;
  const loader = new LayerLoader((_, signal) => new Promise((_, no) => signal.addEventListener("abort", () => ((stopped = true), no(new Error("gone"))))));
  loader.want(wanted(1));
  loader.close();
  await settled();
  expect(stopped).toBe(true);
  expect(loader.snapshot()).toEqual({ layers: [], trouble: "" });
});

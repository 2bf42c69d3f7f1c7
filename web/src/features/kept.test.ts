import "fake-indexeddb/auto";
import { clear } from "idb-keyval";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Edit } from "../model/queue";

// A browser's locks, of which each tab holds its own until it is closed.
const held = new Set<string>();
const locks = {
  request: async (name: string, _: unknown, take: (lock: object | null) => unknown) => {
    const free = !held.has(name);
    if (free) held.add(name);
    return take(free ? {} : null);
  },
  query: async () => ({ held: [...held].map((name) => ({ name })) }),
};

/** A tab: the module as a page loads it, with a session storage that a reload keeps. */
async function openTab(storage = new Map<string, string>(), withLocks = true) {
  vi.resetModules();
  vi.stubGlobal("sessionStorage", { getItem: (k: string) => storage.get(k) ?? null, setItem: (k: string, v: string) => storage.set(k, v) });
  vi.stubGlobal("navigator", withLocks ? { locks } : {});
  const tab = await import("./kept");
  await tab.keepEdits("maren", "other", []); // takes its name
  const close = () => {
    for (const name of held) if (name.endsWith(storage.get("grotta-tab")!)) held.delete(name);
  };
  return { ...tab, close, storage };
}

const edit = (n: number): Edit => ({ key: String(n), op: { op: "set", fields: { n } } });
const numbers = (edits: Edit[]) => edits.map((e) => (e.op.fields as { n: number }).n);

describe("edits that are kept", () => {
  beforeEach(async () => {
    held.clear();
    await clear();
  });

  it("are taken up by the same tab after a reload", async () => {
    const tab = await openTab();
    await tab.keepEdits("maren", "pier", [edit(1), edit(2)]);
    tab.close();
    const again = await openTab(tab.storage);
    expect(numbers(await again.takeKept("maren", "pier"))).toEqual([1, 2]);
  });
  it("stay with a tab that is open", async () => {
    const tab = await openTab();
    await tab.keepEdits("maren", "pier", [edit(1)]);
    const other = await openTab();
    expect(await other.takeKept("maren", "pier")).toEqual([]);
    tab.close();
    expect(numbers(await other.takeKept("maren", "pier"))).toEqual([1]);
    const third = await openTab();
    expect(await third.takeKept("maren", "pier"), "they are the other tab's now").toEqual([]);
  });
  it("are not mixed up by a tab that was duplicated", async () => {
    const tab = await openTab();
    await tab.keepEdits("maren", "pier", [edit(1)]);
    const copy = await openTab(new Map(tab.storage));
    expect(await copy.takeKept("maren", "pier")).toEqual([]);
  });
  it("are of one person and one level", async () => {
    const tab = await openTab();
    await tab.keepEdits("maren", "pier", [edit(1)]);
    tab.close();
    const next = await openTab(tab.storage);
    expect(await next.takeKept("ivo", "pier")).toEqual([]);
    expect(await next.takeKept("maren", "pier-2")).toEqual([]);
  });
  it("without locks are those of the own tab", async () => {
    const tab = await openTab(new Map(), false);
    await tab.keepEdits("maren", "pier", [edit(1)]);
    expect(await (await openTab(new Map(), false)).takeKept("maren", "pier")).toEqual([]);
    expect(numbers(await (await openTab(tab.storage, false)).takeKept("maren", "pier"))).toEqual([1]);
  });
});

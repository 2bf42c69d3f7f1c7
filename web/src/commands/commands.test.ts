import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Document, Level } from "../api/client";
import { bench } from "../model/bench";
import { apply } from "../model/apply";
import { commandByID, commands, keyLabel, keyOf, matching, runKey, type Context } from ".";

const empty = {
  images: [], materials: [], zones: [], solids: [], geometries: [], meshes: [], rigs: [], lights: [], glows: [], fog_volumes: [], beams: [], motes: [], viewpoints: [], paths: [], probes: [], reflections: [], mixes: [], profiles: [], imports: [],
} as unknown as Level;
const level = apply(apply(empty, { op: "add", part: "lights", entity: { id: "a", strength: 10 } }), { op: "add", part: "lights", entity: { id: "b", strength: 20 } });

const contextOf = (part: Partial<Context> = {}): Context => ({
  doc: { can_undo: false, can_redo: false } as Document, level, canEdit: true, selection: [], edit: vi.fn(), undo: vi.fn(), redo: vi.fn(), bake: vi.fn(), ...part,
});
const press = (key: string, more: Partial<KeyboardEvent> = {}) => ({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, repeat: false, ...more }) as KeyboardEvent;

describe("commands", () => {
  beforeEach(() => bench.reset());

  it("have one id, one key and words each", () => {
    const keys = commands.flatMap((c) => c.keys ?? []);
    expect(new Set(keys).size, "no key twice").toBe(keys.length);
    expect(new Set(commands.map((c) => c.id)).size).toBe(commands.length);
    for (const c of commands) expect(c.title).toMatch(/^[A-Z].{2,}/);
    // The keys that fly stay free.
    for (const k of "wasdqe") expect(keys).not.toContain(k);
  });
  it("name keys as people press them", () => {
    expect(keyOf(press("d", { ctrlKey: true }))).toBe("Ctrl+D");
    expect(keyOf(press("Z", { metaKey: true, shiftKey: true }))).toBe("Ctrl+Shift+Z");
    expect(keyOf(press("?", { shiftKey: true }))).toBe("?");
    expect(keyOf(press("P", { shiftKey: true }))).toBe("Shift+p");
    expect(keyOf(press("ArrowUp", { shiftKey: true }))).toBe("Shift+ArrowUp");
    expect(keyLabel("Shift+ArrowUp")).toBe("Shift ↑");
    expect([keyLabel("+"), keyLabel("Ctrl+Shift+Z")]).toEqual(["+", "Ctrl Shift Z"]);
  });
  it("run by their key where they can, and say why where not", () => {
    const nothing = contextOf();
    expect(runKey(press("Delete"), nothing)).toBe(false);
    expect(commandByID.get("delete")!.whyNot!(nothing)).toBe("Nothing is selected.");
    const c = contextOf({ selection: ["a", "b"] });
    expect(runKey(press("Delete"), c)).toBe(true);
    expect(c.edit).toHaveBeenCalledWith({ op: "batch", label: "Remove 2 things", steps: [{ op: "remove", id: "a" }, { op: "remove", id: "b" }] });
    const viewer = contextOf({ selection: ["a"], canEdit: false });
    expect(runKey(press("Delete"), viewer)).toBe(false);
    expect(viewer.edit).not.toHaveBeenCalled();
  });
  it("make one gesture of held arrows, and do not repeat others", () => {
    const c = contextOf({ selection: ["a"] });
    runKey(press("ArrowRight"), c);
    runKey(press("ArrowRight", { repeat: true }), c);
    expect(vi.mocked(c.edit).mock.calls.map(([, gesture]) => gesture)).toEqual(["nudge", "nudge"]);
    expect(vi.mocked(c.edit).mock.calls[0]![0].fields).toEqual({ "transform.position": [0.05, 0, 0] });
    expect(runKey(press("Delete", { repeat: true }), c)).toBe(false);
  });
  it("change many lights from their own values", () => {
    const c = contextOf({ selection: ["a", "b"] });
    runKey(press("+"), c);
    expect(vi.mocked(c.edit).mock.calls[0]![0].steps!.map((s) => s.fields)).toEqual([{ strength: 11 }, { strength: 22 }]);
  });
  it("select all, alike and nothing", () => {
    runKey(press("a", { ctrlKey: true }), contextOf());
    expect(bench.get().selection).toEqual(["a", "b"]);
    bench.select(["a"]);
    runKey(press("k"), contextOf({ selection: ["a"] }));
    expect(bench.get().selection).toEqual(["a", "b"]);
    runKey(press("j"), contextOf({ selection: ["a"] }));
    expect(bench.get().hidden).toEqual({ a: true });
    runKey(press("u"), contextOf());
    expect(bench.get().hidden).toEqual({});
    runKey(press("i"), contextOf());
    expect(bench.get().tool.is).toBe("ask");
    runKey(press("Escape"), contextOf());
    expect(bench.get().tool.is).toBe("select");
    runKey(press("Escape"), contextOf());
    expect(bench.get().selection).toEqual([]);
  });
  it("are found by their words", () => {
    expect(matching("duplicate")[0]!.id).toBe("duplicate");
    expect(matching("place spot").map((c) => c.id)).toEqual(["place-spot"]);
    expect(matching("lamp").map((c) => c.id)).toContain("place-point");
    expect(matching("")).toHaveLength(commands.length);
    expect(matching("zzz")).toEqual([]);
  });
});

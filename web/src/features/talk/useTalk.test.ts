import { describe, expect, it } from "vitest";
import { threadsOf, type Comment } from "./useTalk";

const said = (id: string, thread: string): Comment => ({ id, thread, author: "ivo", text: id, revision: 1, created: "2026-11-28T00:00:00Z" });

describe("threadsOf", () => {
  it("puts answers under what they answer, the newest thread first", () => {
    const threads = threadsOf([said("a", "a"), said("b", "a"), said("c", "c"), said("d", "a")]);
    expect(threads.map((t) => t.first.id)).toEqual(["c", "a"]);
    expect(threads[1]!.answers.map((c) => c.id)).toEqual(["b", "d"]);
  });
  it("has none where nothing was said", () => expect(threadsOf([])).toEqual([]));
});

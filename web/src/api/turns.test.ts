import { describe, expect, it } from "vitest";
import { Turns } from "./turns";

describe("turns", () => {
  it("lets a few work at once, in order, and passes over who gave up", async () => {
    const turns = new Turns(2);
    const log: string[] = [];
    const open: Record<string, () => void> = {};
    const job = (name: string, signal = new AbortController().signal) =>
      turns.take(() => {
        log.push(name);
        return new Promise<void>((done) => (open[name] = done));
      }, signal);
    const stop = new AbortController();
    const [a, b, c] = [job("a"), job("b"), job("c", stop.signal)];
    const d = job("d");
    await Promise.resolve();
    expect(log).toEqual(["a", "b"]);
    const gaveUp = expect(c).rejects.toThrow();
    stop.abort();
    await gaveUp;
    open.a!();
    await a;
    await Promise.resolve();
    expect(log).toEqual(["a", "b", "d"]);
    open.b!();
    open.d!();
    await Promise.all([b, d]);
  });
  it("goes on after work that failed", async () => {
    const turns = new Turns(1);
    const signal = new AbortController().signal;
    await expect(turns.take(() => Promise.reject(new Error("no")), signal)).rejects.toThrow("no");
    expect(await turns.take(() => Promise.resolve(3), signal)).toBe(3);
    const over = new AbortController();
    over.abort();
    await expect(turns.take(() => Promise.resolve(1), over.signal)).rejects.toThrow();
  });
});

import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Document, Level, Operation } from "../api/client";
import { entityDefaults } from "./schema";
import { EditQueue, type Edit, type Outcome, type Transport } from "./queue";

const level = (): Level =>
  ({
    images: [], materials: [], zones: [], solids: [], geometries: [], meshes: [], rigs: [], glows: [], fog_volumes: [], beams: [], motes: [], viewpoints: [], paths: [], probes: [], reflections: [], mixes: [], profiles: [], imports: [],
    lights: [{ ...entityDefaults("lights"), id: "lamp", strength: 10 }],
  }) as unknown as Level;
const doc = (revision = 1): Document => ({ level: { revision }, document: level(), members: [], can_undo: false, can_redo: false }) as unknown as Document;
const set = (fields: Record<string, unknown>): Operation => ({ op: "set", id: "lamp", fields });

class Service implements Transport {
  revision = 1;
  sent: { op: Operation; base: number }[] = [];
  kept: Edit[] = [];
  answers: Outcome[] = []; // what comes first, in place of saving
  has: Operation[] = [];
  send = async (op: Operation, base: number): Promise<Outcome> => {
    const answer = this.answers.shift();
    if (answer) return answer;
    this.sent.push({ op, base });
    return { is: "saved", revision: ++this.revision };
  };
  asked: number[] = []; // after which revisions it was asked what has arrived
  arrived = async (op: Operation, sentOn: number) => {
    this.asked.push(sentOn);
    return this.has.some((h) => JSON.stringify(h) === JSON.stringify(op)) ? ++this.revision : 0;
  };
  keep = async (edits: Edit[]) => void (this.kept = edits);
  wait = (ms: number) => new Promise<void>((done) => setTimeout(done, ms));
}

function start() {
  const service = new Service();
  const complaints: string[] = [];
  const queue = new EditQueue(service, () => {}, (why) => complaints.push(why));
  queue.setBase(doc());
  const lamp = () => queue.shown!.document.lights[0]!;
  return { service, queue, complaints, lamp };
}

describe("the queue of edits", () => {
  beforeEach(() => void vi.useFakeTimers());
  afterEach(() => void vi.useRealTimers());
  const pass = (ms = 0) => vi.advanceTimersByTimeAsync(ms);

  it("shows an edit at once and saves it behind", async () => {
    const { service, queue, lamp } = start();
    queue.push(set({ strength: 20 }));
    expect(lamp().strength).toBe(20);
    expect(queue.state).toBe("saving");
    await pass();
    expect(queue.state).toBe("saved");
    expect(service.sent).toEqual([{ op: set({ strength: 20 }), base: 1 }]);
    expect(queue.shown!.level.revision).toBe(2);
    expect(lamp().strength).toBe(20);
  });

  it("makes one edit of a gesture, and none before it rests", async () => {
    const { service, queue, lamp } = start();
    for (let i = 1; i <= 50; i++) {
      queue.push(set({ "transform.position": [i, 0, 0] }), "nudge");
      await pass(30);
    }
    expect(service.sent).toEqual([]);
    expect(lamp().transform.position).toEqual([50, 0, 0]);
    await pass(1600);
    expect(service.sent).toEqual([{ op: set({ "transform.position": [50, 0, 0] }), base: 1 }]);
  });

  it("holds a drag until it is let go, however long that takes", async () => {
    const { service, queue } = start();
    queue.push(set({ strength: 1 }), { held: "drag" });
    expect(queue.isHeld).toBe(true);
    await pass(5000);
    queue.push(set({ strength: 2 }), { held: "drag" });
    await pass(5000);
    expect(service.sent).toEqual([]);
    queue.endGesture();
    expect(queue.isHeld).toBe(false);
    await pass();
    expect(service.sent.map((s) => s.op.fields)).toEqual([{ strength: 2 }]);
    queue.push(set({ strength: 3 }), "typed");
    expect([queue.inGesture, queue.isHeld]).toEqual([true, false]);
  });

  it("sends in order, each on the revision that the one before made", async () => {
    const { service, queue } = start();
    queue.push(set({ strength: 1 }));
    queue.push(set({ strength: 2 }));
    queue.push(set({ strength: 3 }));
    await pass();
    expect(service.sent.map((s) => [(s.op.fields as { strength: number }).strength, s.base])).toEqual([[1, 1], [2, 2], [3, 3]]);
  });

  it("keeps edits while the service is away, goes on with them, and loses none", async () => {
    const { service, queue, lamp } = start();
    service.answers = [{ is: "offline" }, { is: "offline" }];
    queue.push(set({ strength: 5 }));
    await pass();
    expect(queue.state).toBe("offline");
    queue.push(set({ range_m: 3 }));
    expect(service.kept).toHaveLength(2);
    expect(lamp()).toMatchObject({ strength: 5, range_m: 3 });
    await pass(4000);
    expect(queue.state).toBe("saved");
    expect(service.kept).toEqual([]);
    expect(service.sent).toHaveLength(2);
  });

  it("does not do an edit twice whose answer was lost", async () => {
    const { service, queue } = start();
    service.answers = [{ is: "offline" }];
    const op = set({ strength: 5 });
    service.has = [op];
    queue.push(op);
    await pass();
    queue.setBase(doc(9)); // the level is read again meanwhile
    await pass(2000);
    expect(queue.state).toBe("saved");
    expect(service.sent).toEqual([]);
    expect(service.asked, "from where it was first sent").toEqual([1]);
  });

  it("drops what is refused, says why, and goes on", async () => {
    const { service, queue, complaints, lamp } = start();
    service.answers = [{ is: "refused", why: "ivo changed it", conflict: true }];
    queue.push(set({ strength: 5 }));
    queue.push(set({ range_m: 3 }));
    await pass();
    expect(complaints).toEqual(["ivo changed it"]);
    expect(lamp()).toMatchObject({ strength: 10, range_m: 3 });
    expect(queue.state).toBe("saved");
  });

  it("waits for a sign-in", async () => {
    const { service, queue } = start();
    service.answers = [{ is: "signed-out" }];
    queue.push(set({ strength: 5 }));
    await pass(60_000);
    expect(queue.state).toBe("signed-out");
    expect(service.sent).toEqual([]);
    queue.retry();
    await pass();
    expect(service.sent).toHaveLength(1);
    expect(queue.state).toBe("saved");
  });

  it("takes up what was kept before", async () => {
    const { service, queue, lamp } = start();
    queue.restore([{ key: "7", op: set({ strength: 77 }) }]);
    expect(lamp().strength).toBe(77);
    await pass();
    expect(service.sent).toHaveLength(1);
  });

  it("shows what others did, under what is on its way", async () => {
    const { queue, lamp } = start();
    queue.push(set({ strength: 5 }), "drag");
    const theirs = doc(2);
    theirs.document.lights[0]!.range_m = 9;
    queue.setBase(theirs);
    expect(lamp()).toMatchObject({ strength: 5, range_m: 9 });
    queue.setBase(doc(1)); // late
    expect(lamp().range_m).toBe(9);
  });

  it("takes back an edit that was not sent", async () => {
    const { service, queue, lamp } = start();
    queue.push(set({ strength: 5 }), "drag");
    expect(queue.takeBack()).toBe(true);
    expect(lamp().strength).toBe(10);
    await pass(1000);
    expect(service.sent).toEqual([]);
    expect(queue.takeBack()).toBe(false);
  });

  it("drops what a hand holds, and not what it held before", async () => {
    const { service, queue, lamp } = start();
    queue.push(set({ strength: 5 }), { held: "drag" });
    queue.endGesture();
    queue.dropGesture();
    await pass();
    expect(service.sent).toHaveLength(1);
    queue.push(set({ strength: 7 }), { held: "drag" });
    queue.push(set({ strength: 8 }), { held: "drag" });
    queue.dropGesture();
    expect(lamp().strength).toBe(5);
    await pass(1000);
    expect(service.sent).toHaveLength(1);
  });
});

import type { Document, Level, Operation } from "../api/client";
import { apply, merge } from "./apply";

// The edits of one level on their way to the service. An edit shows at once, is kept on this
// machine until the service has it, and is sent in order, one at a time. The steps of one
// gesture, such as a drag or a held key, become one edit and so one revision.

/** How an edit went: the new revision, or why there is none. */
export type Outcome =
  | { is: "saved"; revision: number }
  | { is: "refused"; why: string; conflict: boolean }
  | { is: "offline"; why?: string } // it is sent again; why, where the service answered at all
  | { is: "signed-out" }
  | { is: "gone" };

/** An edit on its way. Where its answer was lost, sentOn is the revision that it was first sent on. */
export type Edit = { key: string; op: Operation; sentOn?: number };

/** What the queue needs of the world outside. */
export type Transport = {
  send: (op: Operation, base: number) => Promise<Outcome>;
  /** The revision after sentOn that an edit whose answer was lost has made; 0 if it did not arrive. */
  arrived: (op: Operation, sentOn: number) => Promise<number>;
  keep: (edits: Edit[]) => Promise<void>;
  wait: (ms: number) => Promise<void>;
};

/** Steps that become one edit. A held one, such as a drag, ends when it is let go; another one
 *  rests by itself. */
export type Gesture = string | { held: string };

export type QueueState = "saved" | "saving" | "offline" | "signed-out" | "gone";

/** Milliseconds without a further step after which a gesture is over by itself. */
const gestureRestMs = 1500;
const retryMs = 1500;

export class EditQueue {
  private pending: Edit[] = [];
  private gesture: { name: string; key: string; held: boolean } | null = null;
  private resting: ReturnType<typeof setTimeout> | undefined;
  private running = false;
  private base: Document | null = null;
  private shownFor: { base: Level; edits: Edit[]; level: Level } | null = null;
  private waiters: (() => void)[] = [];
  private next = 1;
  state: QueueState = "saved";
  /** What the service says of why nothing is saved now; "" where it does not answer. */
  why = "";

  constructor(
    private readonly transport: Transport,
    private readonly changed: () => void,
    private readonly complain: (why: string, edit: Edit, conflict: boolean) => void,
  ) {}

  /** Takes the document as the service has it. Older ones than known are left aside. */
  setBase(doc: Document) {
    if (this.base && doc.level.revision < this.base.level.revision) return;
    this.base = doc;
    this.changed();
  }

  /** Takes up edits that were kept when a page was closed. */
  restore(edits: readonly Edit[]) {
    this.pending = [...edits.map((e) => ({ ...e, key: String(this.next++) })), ...this.pending];
    this.keep();
    this.changed();
    void this.run();
  }

  /** Whether a gesture is under way, so that its edit is not sent yet. */
  get inGesture(): boolean {
    return this.gesture !== null;
  }

  /** Whether a hand holds what changes: the gesture ends when it is let go. */
  get isHeld(): boolean {
    return this.gesture?.held ?? false;
  }

  /** The changes that are not saved, in order. */
  get operations(): Operation[] {
    return this.pending.map((e) => e.op);
  }

  get count() {
    return this.pending.length;
  }

  /** The document as far as the service has it. */
  get saved(): Document | null {
    return this.base;
  }

  /** The document with all that is not saved yet. */
  get shown(): Document | null {
    if (!this.base) return null;
    if (this.pending.length === 0) return this.base;
    const base = this.base.document;
    if (this.shownFor?.base !== base || this.shownFor.edits !== this.pending) {
      this.shownFor = { base, edits: this.pending, level: this.pending.reduce((level, e) => apply(level, e.op), base) };
    }
    return { ...this.base, document: this.shownFor.level, can_undo: true, can_redo: false };
  }

  /** Adds an edit. Those of one gesture become one. */
  push(op: Operation, gesture?: Gesture) {
    const held = typeof gesture === "object";
    const name = held ? gesture.held : gesture;
    const last = this.pending.at(-1);
    if (name && this.gesture?.name === name && last?.key === this.gesture.key) {
      this.pending = [...this.pending.slice(0, -1), { ...last, op: merge(last.op, op) }];
    } else {
      this.endGesture();
      const edit: Edit = { key: String(this.next++), op };
      this.pending = [...this.pending, edit];
      if (name) this.gesture = { name, key: edit.key, held };
    }
    clearTimeout(this.resting);
    if (typeof gesture === "string") this.resting = setTimeout(() => this.endGesture(), gestureRestMs);
    this.keep();
    this.changed();
    void this.run();
  }

  /** A gesture is over: what it did is sent. */
  endGesture() {
    if (!this.gesture) return;
    clearTimeout(this.resting);
    this.gesture = null;
    void this.run();
  }

  /** A gesture that a hand holds is taken back, as if it had not been made. */
  dropGesture() {
    if (this.isHeld) this.takeBack();
  }

  /** Waits until all is saved, or cannot be now. */
  async settled(): Promise<void> {
    this.endGesture();
    if (this.pending.length === 0 || (!this.running && this.state !== "saving")) return;
    await new Promise<void>((done) => this.waiters.push(done));
  }

  /** Drops the newest edit if it has not been sent; true if there was one. */
  takeBack(): boolean {
    const onTheirWay = this.running ? 1 : 0;
    if (this.pending.length <= onTheirWay) return false;
    clearTimeout(this.resting);
    this.gesture = null;
    this.pending = this.pending.slice(0, -1);
    this.keep();
    this.changed();
    return true;
  }

  /** Tries again at once, such as after a sign-in. */
  retry() {
    void this.run();
  }

  private keep() {
    void this.transport.keep(this.pending);
  }

  private become(state: QueueState) {
    if (this.state === state) return;
    this.state = state;
    this.changed();
  }

  private async run() {
    if (this.running || !this.base) return;
    this.running = true;
    try {
      while (this.pending.length > 0 && this.pending[0]!.key !== this.gesture?.key) {
        if (!(await this.sendFirst())) break;
      }
      if (this.pending.length === 0) this.become("saved");
    } finally {
      this.running = false;
      for (const done of this.waiters.splice(0)) done();
    }
    // A gesture may have ended, or an edit been added, while the last one was on its way.
    if (this.state === "saving" && this.pending.length > 0 && this.pending[0]!.key !== this.gesture?.key) void this.run();
  }

  /** Sends the first edit; false if the rest has to wait. */
  private async sendFirst(): Promise<boolean> {
    const edit = this.pending[0]!;
    const base = this.base!.level.revision;
    if (this.state === "saved") this.become("saving");
    const outcome = await this.sendOnce(edit, base);
    switch (outcome.is) {
      case "saved":
        this.take(edit, outcome.revision);
        this.become(this.pending.length > 0 ? "saving" : "saved");
        return true;
      case "refused":
        this.pending = this.pending.filter((e) => e.key !== edit.key);
        this.keep();
        this.become("saving");
        this.changed();
        this.complain(outcome.why, edit, outcome.conflict);
        return true;
      case "offline":
        if (this.why !== (outcome.why ?? "")) {
          this.why = outcome.why ?? "";
          this.changed();
        }
        this.become("offline");
        void this.transport.wait(retryMs).then(() => this.run());
        return false;
      case "signed-out":
        this.become("signed-out");
        return false;
      case "gone":
        this.become("gone");
        return false;
    }
  }

  /** Sends an edit, unless it has arrived before. That it was sent is kept first, so that it is
   *  not done twice where the answer, or this page, is lost. */
  private async sendOnce(edit: Edit, base: number): Promise<Outcome> {
    if (edit.sentOn !== undefined) {
      try {
        const revision = await this.transport.arrived(edit.op, edit.sentOn);
        if (revision > 0) return { is: "saved", revision };
      } catch {
        return { is: "offline" };
      }
    } else {
      this.pending = this.pending.map((e) => (e.key === edit.key ? { ...e, sentOn: base } : e));
      this.keep();
    }
    return this.transport.send(edit.op, base);
  }

  /** An edit is in the level: it becomes part of what the service is known to have. */
  private take(edit: Edit, revision: number) {
    const base = this.base!;
    this.pending = this.pending.filter((e) => e.key !== edit.key);
    // Where others have changed the level meanwhile, their part comes with the next reading.
    if (revision > base.level.revision) {
      this.base = { ...base, level: { ...base.level, revision }, document: apply(base.document, edit.op), can_undo: true, can_redo: false };
    }
    this.keep();
    this.changed();
  }
}

import type { Sent } from "../engine/layers";

// Brings the layers of a lightmap here: a few answers with many layers each, in the order in which they are wanted.

export type Wanted = { source: string; key: string };
export type Loaded = Sent["layers"][number];
/** Reads some layers; those that are not there are left out, and `later` names sources to ask for again. */
export type Read = (wanted: readonly Wanted[], signal: AbortSignal) => Promise<Sent>;
export type Light = { layers: readonly Loaded[]; trouble: string };

const [together, most] = [64, 512]; // layers that are asked for at once: few first, so that some light shows soon
const spare = 64; // layers that are kept though nothing wants them now: an undo may
const waits = [500, 2000, 8000];

export class LayerLoader {
  private readonly held = new Map<string, Loaded>();
  private wanted: readonly Wanted[] = [];
  private readonly absent = new Set<string>();
  private readonly watchers = new Set<() => void>();
  private stop: AbortController | null = null;
  private light: Light = { layers: [], trouble: "" };

  constructor(
    private readonly read: Read,
    private readonly sleep = (ms: number) => new Promise<void>((done) => setTimeout(done, ms)),
  ) {}

  /** Says which layers are wanted now. */
  want(wanted: readonly Wanted[]) {
    this.wanted = wanted;
    this.absent.clear();
    this.tell("");
    if (!this.stop && this.missing().length > 0) void this.run();
  }

  close() {
    this.stop?.abort();
    this.stop = null;
    this.wanted = [];
  }

  readonly snapshot = (): Light => this.light;

  readonly subscribe = (tell: () => void) => {
    this.watchers.add(tell);
    return () => void this.watchers.delete(tell);
  };

  private missing(): Wanted[] {
    return this.wanted.filter((w) => !this.held.has(w.key) && !this.absent.has(w.key));
  }

  private async run() {
    const stop = (this.stop = new AbortController());
    let failed = 0;
    let size = together;
    for (let next = this.missing(); next.length > 0 && !stop.signal.aborted; next = this.missing()) {
      const some = next.slice(0, size);
      try {
        const { layers, later } = await this.read(some, stop.signal);
        for (const l of layers) this.held.set(l.key, l);
        const come = new Set([...layers.map((l) => l.key), ...some.filter((w) => later.includes(w.source)).map((w) => w.key)]);
        for (const w of some) if (!come.has(w.key)) this.absent.add(w.key);
        failed = 0;
        size = Math.min(2 * size, most);
        this.tell("");
      } catch (error) {
        if (stop.signal.aborted) break;
        this.tell(error instanceof Error ? error.message : String(error));
        await this.sleep(waits[Math.min(failed++, waits.length - 1)]!);
      }
    }
    if (this.stop === stop) this.stop = null;
  }

  /** Shows what is here of what is wanted; forgets what has not been wanted for long. */
  private tell(trouble: string) {
    const now = this.wanted.flatMap((w) => this.held.get(w.key) ?? []);
    const keys = new Set(now.map((l) => l.key));
    const old = [...this.held.keys()].filter((k) => !keys.has(k));
    for (const k of old.slice(0, Math.max(0, old.length - spare))) this.held.delete(k);
    const same = now.length === this.light.layers.length && now.every((l, i) => l === this.light.layers[i]);
    if (same && trouble === this.light.trouble) return;
    this.light = { layers: same ? this.light.layers : now, trouble };
    for (const w of this.watchers) w();
  }
}

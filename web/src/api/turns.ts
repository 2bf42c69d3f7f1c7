// Pictures that the service has to make first take a moment each. They are asked for a few at
// a time, so that what a person clicks meanwhile is never held up by them.

export class Turns {
  private running = 0;
  private readonly waiting: (() => void)[] = [];

  constructor(private readonly atOnce: number) {}

  /** Does the work once its turn has come; no more once the signal says so. */
  async take<T>(work: () => Promise<T>, signal: AbortSignal): Promise<T> {
    await this.turn(signal);
    try {
      return await work();
    } finally {
      this.running--;
      this.waiting.shift()?.();
    }
  }

  private turn(signal: AbortSignal): Promise<void> {
    signal.throwIfAborted();
    if (this.running < this.atOnce) {
      this.running++;
      return Promise.resolve();
    }
    return new Promise((resolve, reject) => {
      const start = () => {
        this.running++;
        resolve();
      };
      this.waiting.push(start);
      signal.addEventListener("abort", () => {
        const at = this.waiting.indexOf(start);
        if (at < 0) return;
        this.waiting.splice(at, 1);
        reject(signal.reason);
      });
    });
  }
}

/** For small pictures of levels, presets and revisions. */
export const pictures = new Turns(2);

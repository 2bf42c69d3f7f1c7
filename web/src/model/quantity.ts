// What people type into a number field: arithmetic, units, and changes of what is there.

/** What a unit is worth in the field's own unit. */
type Units = Record<string, number>;

const factors: Record<string, Units> = {
  m: { m: 1, cm: 0.01, mm: 0.001, km: 1000, ft: 0.3048, in: 0.0254 },
  "°": { "°": 1, deg: 1, rad: 180 / Math.PI },
  cd: { cd: 1, kcd: 1000, mcd: 0.001 },
  lx: { lx: 1, klx: 1000, mlx: 0.001 },
  nt: { nt: 1, "cd/m²": 1, "cd/m2": 1, nits: 1, nit: 1 },
  K: { K: 1, kK: 1000 },
  s: { s: 1, ms: 0.001, min: 60 },
  Hz: { Hz: 1 },
  EV: { EV: 1 },
  "×": { "×": 1, x: 1, "%": 0.01 },
  "": { "%": 0.01 },
};

export type Parsed = { value: number } | { error: string };

/** A change of a value: "*1.5", "/2", "+10" or "-20%"; null where the text is no such. With
 *  several things selected each is changed from its own value. "-5" alone is a value, so a
 *  lower one is written "-=5". */
export function relative(text: string, unit: string, more: Units = {}): ((v: number) => number) | null {
  const m = /^\s*(\*|\/|\+=?|-=)\s*(.+)$/.exec(text) ?? /^\s*([+-])\s*(\S+\s*%)\s*$/.exec(text);
  if (!m) return null;
  const share = /^\s*([\d.,]+)\s*%\s*$/.exec(m[2]!);
  const by = share ? Number(share[1]!.replace(",", ".")) / 100 : Number.NaN;
  const op = m[1]![0]!;
  if (share && (op === "+" || op === "-")) return (v) => v * (op === "+" ? 1 + by : 1 - by);
  const amount = quantity(m[2]!, op === "*" || op === "/" ? "" : unit, more);
  if ("error" in amount) return null;
  const a = amount.value;
  return { "*": (v: number) => v * a, "/": (v: number) => v / a, "+": (v: number) => v + a, "-": (v: number) => v - a }[op] ?? null;
}

/** A number, with arithmetic and a unit: "2*90", "250cd", "1.5 m", "20 °", "(3+1)/2". The
 *  value is in the field's unit. more has units that hold only here, such as a platform's. */
export function quantity(text: string, unit: string, more: Units = {}): Parsed {
  const source = text.trim().replaceAll("−", "-");
  if (source === "") return { error: "A number is needed." };
  // A comma between digits is a decimal comma.
  const reader = new Reader(source.replace(/(\d),(\d)/g, "$1.$2"), unit, { ...factors[unit], ...more });
  const value = reader.sum();
  if (reader.error) return { error: reader.error };
  if (!reader.atEnd) return { error: `“${reader.rest}” is not understood.` };
  if (!Number.isFinite(value)) return { error: "That has no finite value." };
  return { value: Number(value.toPrecision(12)) };
}

class Reader {
  private at = 0;
  error = "";

  constructor(
    private readonly text: string,
    private readonly unit: string,
    private readonly known: Units,
  ) {}

  get atEnd() {
    this.skip();
    return this.at >= this.text.length;
  }
  get rest() {
    return this.text.slice(this.at).trim();
  }

  private skip() {
    while (this.text[this.at] === " ") this.at++;
  }
  private take(characters: string): string {
    this.skip();
    const c = this.text[this.at];
    if (c === undefined || !characters.includes(c)) return "";
    this.at++;
    return c;
  }

  sum(): number {
    let v = this.product();
    for (let op = this.take("+-"); op; op = this.take("+-")) v = op === "+" ? v + this.product() : v - this.product();
    return v;
  }

  private product(): number {
    let v = this.factor();
    for (let op = this.take("*/"); op; op = this.take("*/")) v = op === "*" ? v * this.factor() : v / this.factor();
    return v;
  }

  private factor(): number {
    if (this.take("-")) return -this.factor();
    if (this.take("+")) return this.factor();
    if (this.take("(")) {
      const v = this.sum();
      if (!this.take(")")) this.error ||= "A bracket is not closed.";
      return v * this.unitHere();
    }
    this.skip();
    const m = /^(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?/i.exec(this.text.slice(this.at));
    if (!m) {
      this.error ||= this.atEnd ? "A number is missing at the end." : `“${this.rest}” is not a number.`;
      this.at = this.text.length;
      return Number.NaN;
    }
    this.at += m[0].length;
    return Number(m[0]) * this.unitHere();
  }

  private unitHere(): number {
    this.skip();
    const m = /^(?:[a-zA-Z°×²%][a-zA-Z°×²%0-9]*(?:\/m²|\/m2)?)/.exec(this.text.slice(this.at));
    if (!m) return 1;
    const { known } = this;
    const factor = known[m[0]] ?? (m[0] === this.unit ? 1 : Object.entries(known).find(([name]) => name.toLowerCase() === m[0].toLowerCase())?.[1]);
    if (factor === undefined) {
      const units = Object.keys(known).join(", ");
      this.error ||= `“${m[0]}” is no unit here${units ? `; there are ${units}` : ""}.`;
    }
    this.at += m[0].length;
    return factor ?? Number.NaN;
  }
}

/** Why a value is outside of a field's limits; "" where it is within. */
export function outside(v: number, limits: { min: number; max: number; exclusiveMin?: boolean }, unit: string): string {
  const u = unit ? ` ${unit}` : "";
  if (v < limits.min || (limits.exclusiveMin && v === limits.min)) return `${limits.exclusiveMin ? "More than" : "At least"} ${limits.min}${u} is needed.`;
  if (v > limits.max) return `At most ${limits.max}${u} is allowed.`;
  return "";
}

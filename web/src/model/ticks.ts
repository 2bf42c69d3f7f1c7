/** Round values from 0 to most, about so many. */
export function ticksUpTo(most: number, about: number): number[] {
  const raw = most / about;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((k) => k * power).find((s) => s >= raw)!;
  return Array.from({ length: Math.floor(most / step + 1e-9) + 1 }, (_, i) => Number((i * step).toPrecision(6)));
}

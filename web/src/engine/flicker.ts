import type { Light } from "../api/client";

// How a light's strength changes in time, as core/level has it, to the bit.

const mask = (1n << 64n) - 1n;

/** FNV-1a, 64 bits. */
function hash(s: string): bigint {
  let h = 14695981039346656037n;
  for (const byte of new TextEncoder().encode(s)) h = ((h ^ BigInt(byte)) * 1099511628211n) & mask;
  return h;
}

/** A number of [0, 1) for a whole number (the finaliser of splitmix64). */
function value(at: number, seed: bigint): number {
  let x = (seed + (BigInt.asUintN(64, BigInt(at)) * 0x9e3779b97f4a7c15n)) & mask;
  x = ((x ^ (x >> 30n)) * 0xbf58476d1ce4e5b9n) & mask;
  x = ((x ^ (x >> 27n)) * 0x94d049bb133111ebn) & mask;
  x ^= x >> 31n;
  return Number(x >> 11n) / 2 ** 53;
}

function noise(x: number, seed: bigint): number {
  const at = Math.floor(x);
  const t = x - at;
  const s = t * t * t * (t * (6 * t - 15) + 10);
  return value(at, seed) * (1 - s) + value(at + 1, seed) * s;
}

/** What a flicker multiplies a light's strength by: 1 - depth to 1. */
export function flickerAt(f: NonNullable<Light["flicker"]>, seconds: number, id: string): number {
  const seed = hash(id);
  const x = seconds * f.rate_hz + (17 * Number(seed % 1000n)) / 1000;
  let dip = 0;
  if (f.pattern === "candle") dip = 0.7 * noise(x, seed) + 0.3 * noise(2.7 * x, hash(id + "'"));
  if (f.pattern === "faulty" && value(Math.floor(x), seed) < 0.25 && x % 1 < 0.6) dip = 1;
  if (f.pattern === "pulse") dip = 0.5 - 0.5 * Math.cos(2 * Math.PI * seconds * f.rate_hz);
  return 1 - f.depth * dip;
}

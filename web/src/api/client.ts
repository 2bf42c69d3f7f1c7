import createClient, { type Middleware } from "openapi-fetch";
import type { components, paths } from "./schema.gen";

// The typed client of the service. The types are generated from its OpenAPI
// document; nothing here repeats them.

export type Schemas = components["schemas"];
export type Level = Schemas["Level"];
export type Light = Schemas["Light"];
export type Glow = Schemas["Glow"];
export type Variant = Pick<Schemas["NewShot"], "revision" | "preset" | "mix" | "look" | "air" | "display" | "edit">;
export type Mix = Schemas["Mix"];
export type Change = Schemas["Change"];
export type LightLine = Schemas["LightLine"];
export type Zone = Schemas["Zone"];
export type AirReport = Schemas["AirReport"];
export type Document = Schemas["Document"];
export type LevelInfo = Schemas["LevelInfo"];
export type LightmapState = Schemas["LightmapState"];
export type Source = Schemas["Source"];
export type Operation = Schemas["Operation"];
export type Finding = Schemas["Finding"];
export type Report = Schemas["Report"];
export type Bake = Schemas["Bake"];
export type Revision = Schemas["Revision"];
export type PresetInfo = Schemas["PresetInfo"];
export type Ledger = Schemas["Ledger"];
export type Problem = Schemas["Problem"];

let csrf = "";
export function setCSRF(token: string | undefined) {
  csrf = token ?? "";
}

const changesNeedToken: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-Grotta-CSRF", csrf);
    return request;
  },
};

export const api = createClient<paths>({ baseUrl: "" });
api.use(changesNeedToken);

/** An answer that was a problem, as an error that people can read. */
export class ProblemError extends Error {
  constructor(readonly problem: Partial<Problem>) {
    const faults = (problem.faults ?? []).map((f) => `${f.path} ${f.message}`.trim());
    // Where each fault is named, the sentence that there are some says nothing more.
    const head = problem.code === "invalid" && faults.length > 0 ? [] : [problem.detail || problem.title || "The service does not answer."];
    super([...head, ...faults].join("\n"));
  }
}

/** Takes an openapi-fetch answer apart: its data, or a thrown ProblemError. */
export async function take<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let got;
  try {
    got = await call;
  } catch {
    throw new ProblemError({ detail: "The service does not answer. Is it running?" });
  }
  if (!got.response.ok) throw new ProblemError((got.error ?? {}) as Partial<Problem>);
  return got.data as T;
}

/** A shot as the address of a picture; the taker lets go of it. */
export async function takeShot(id: string, body: Schemas["NewShot"], signal?: AbortSignal): Promise<string> {
  const { data, error, response } = await api.POST("/api/v1/levels/{id}/shots", { params: { path: { id } }, body, parseAs: "blob", signal });
  if (!response.ok) throw new ProblemError((error ?? {}) as Partial<Problem>);
  return URL.createObjectURL(data as unknown as Blob);
}

/** The direct light of a source after a change that is not saved, as bytes; null where the
 *  change has no preview, as it moves geometry. */
export async function takePreview(id: string, operation: Operation, source: string, signal: AbortSignal): Promise<ArrayBuffer | null> {
  const { data, response } = await api.POST("/api/v1/levels/{id}/preview", { params: { path: { id } }, body: { operation, source }, parseAs: "arrayBuffer", signal });
  return response.ok ? (data as unknown as ArrayBuffer) : null;
}

/** The air after a change that is not saved; null where it cannot be had. */
export async function takeAirPreview(id: string, operation: Operation, signal: AbortSignal): Promise<AirReport | null> {
  const { data } = await api.POST("/api/v1/levels/{id}/air/preview", { params: { path: { id } }, body: { operation }, signal });
  return data ?? null;
}

/** Baked layers of a level, many at once, as bytes. */
export async function takeLayers(id: string, layers: readonly Schemas["LayerOf"][], signal: AbortSignal): Promise<ArrayBuffer> {
  return (await take(api.POST("/api/v1/levels/{id}/layers", { params: { path: { id } }, body: { layers: [...layers] }, parseAs: "arrayBuffer", signal }))) as unknown as ArrayBuffer;
}

/** Reads a path of the API as bytes. */
export async function bytes(path: string, signal?: AbortSignal): Promise<ArrayBuffer> {
  const response = await fetch(path, { signal: signal ?? null });
  if (!response.ok) throw new ProblemError(await response.json().catch(() => ({})));
  return response.arrayBuffer();
}

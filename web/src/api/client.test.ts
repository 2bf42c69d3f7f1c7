import { afterEach, describe, expect, it, vi } from "vitest";
import { ProblemError, api, bytes, setCSRF, take } from "./client";

let answer: () => Response | Promise<Response>;
let asked: Request[] = [];

/** What every request is answered with from here on. */
function answers(response: typeof answer) {
  answer = response;
  asked = [];
  vi.stubGlobal("fetch", async () => answer());
}

const service = {
  baseUrl: "http://localhost",
  fetch: async (request: Request) => {
    asked.push(request);
    return answer();
  },
};

const json = (status: number, body: unknown) => new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
const levels = () => take(api.GET("/api/v1/levels", service));

afterEach(() => vi.unstubAllGlobals());

describe("take", () => {
  it("returns the data of an answer", async () => {
    answers(() => json(200, { items: [] }));
    expect(await levels()).toEqual({ items: [] });
  });
  it("throws a problem with its detail and each fault", async () => {
    answers(() => json(422, { title: "Unprocessable", detail: "The level is not valid.", faults: [{ path: "/lights/0/strength", message: "is -1" }] }));
    await expect(levels()).rejects.toThrow("The level is not valid.\n/lights/0/strength is -1");
  });
  it("keeps the problem's code for callers", async () => {
    answers(() => json(507, { detail: "The disk is full.", code: "disk-full" }));
    const error = await levels().catch((e: unknown) => e);
    expect(error).toBeInstanceOf(ProblemError);
    expect((error as ProblemError).problem.code).toBe("disk-full");
  });
  it("says so when the service does not answer", async () => {
    answers(() => Promise.reject(new TypeError("Failed to fetch")));
    await expect(levels()).rejects.toThrow("Is it running?");
  });
});

describe("requests", () => {
  it("carry the token only where they change something", async () => {
    setCSRF("token-of-the-session");
    answers(() => json(200, {}));
    await levels();
    await take(api.POST("/api/v1/levels", { ...service, body: { name: "Pier" } }));
    expect(asked.map((r) => r.headers.get("X-Grotta-CSRF"))).toEqual([null, "token-of-the-session"]);
  });
});

describe("bytes", () => {
  it("are those of the answer", async () => {
    answers(() => new Response(new Uint8Array([7, 8, 9])));
    expect([...new Uint8Array(await bytes("/layer"))]).toEqual([7, 8, 9]);
  });
  it("are an error where the answer is one, even without a body that can be read", async () => {
    answers(() => new Response("<html>", { status: 502 }));
    await expect(bytes("/layer")).rejects.toThrow("The service does not answer.");
    answers(() => json(404, { detail: "There is no such layer." }));
    await expect(bytes("/layer")).rejects.toThrow("There is no such layer.");
  });
});

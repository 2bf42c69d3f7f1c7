import { zip, type Zippable } from "fflate";
import { api, take, type Schemas } from "./client";

// Files that are brought in: one, or one with those beside it that it names, as an archive.

export type Picked = { path: string; file: File };
export type Imported = Schemas["Imported"];
/** What one thing to bring in is made of: the file that is read, and what came beside it. */
export type Bundle = { main: Picked; beside: readonly Picked[] };

const readable = /\.(gltf|glb|obj|ply|stl|json|zip)$/i;
/** These name others that they need. */
const needsOthers = /\.(gltf|obj)$/i;

/** Rules for what comes in that lie beside a file hold for it. */
const rulesName = "grotta-rules.yaml";

/** Sorts what was picked into what is read, each with all that may belong to it. */
export function bundlesOf(picked: readonly Picked[]): Bundle[] {
  const mains = picked.filter((p) => readable.test(p.path));
  if (mains.length === 0) return picked.map((main) => ({ main, beside: [] }));
  const others = picked.filter((p) => !readable.test(p.path));
  const rules = others.filter((p) => p.path.endsWith(rulesName));
  return mains.map((main) => ({ main, beside: needsOthers.test(main.path) ? others : rules }));
}

/** Files of a drop, also those of folders, with their paths. */
export async function dropped(transfer: DataTransfer): Promise<Picked[]> {
  const entries = [...transfer.items].flatMap((i) => (i.kind === "file" ? [i.webkitGetAsEntry()] : []));
  const files = [...transfer.files]; // before anything is awaited: a drop is over then
  if (entries.some((e) => e?.isDirectory)) return (await Promise.all(entries.map((e) => (e ? walk(e) : [])))).flat();
  return files.map((file) => ({ path: file.name, file }));
}

async function walk(entry: FileSystemEntry): Promise<Picked[]> {
  if (entry.name.startsWith(".")) return [];
  const path = entry.fullPath.replace(/^\//, "");
  if (entry.isFile) return [{ path, file: await new Promise<File>((done, fail) => (entry as FileSystemFileEntry).file(done, fail)) }];
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const all: Picked[] = [];
  for (;;) {
    // A reader gives a hundred at a time.
    const some = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail));
    if (some.length === 0) return all;
    for (const e of some) all.push(...(await walk(e)));
  }
}

async function archiveOf(files: readonly Picked[]): Promise<Uint8Array<ArrayBuffer>> {
  const content: Zippable = {};
  for (const { path, file } of files) content[path] = [new Uint8Array(await file.arrayBuffer()), { level: 0 }];
  return new Promise((done, fail) => zip(content, (error, data) => (error ? fail(error) : done(data as Uint8Array<ArrayBuffer>))));
}

export type HowToRead = { unit_m?: number; scale?: number; up?: "y" | "z"; forward?: "x" | "-x" | "y" | "-y" | "z" | "-z"; handed?: "right" | "left"; platform?: string; rules?: string; scene?: string; at?: number[]; terrain_m?: number; height_m?: number; cells?: number };

export const asBytes = { bodySerializer: (b: string) => b, headers: { "Content-Type": "application/octet-stream" }, querySerializer: { array: { style: "form", explode: false } } } as const;

/** A bundle as what is sent, and what is said of it. */
async function sent({ main, beside }: Bundle, how: HowToRead) {
  if (main.file.size === 0) throw new Error("the file is empty");
  const body = beside.length > 0 ? new Blob([await archiveOf([main, ...beside])]) : main.file;
  return { body: body as unknown as string, query: { file: main.file.name, ...(beside.length > 0 ? { main: main.path } : {}), ...how } };
}

/** Brings one bundle in as a new level. */
export async function bringIn(bundle: Bundle, how: HowToRead = {}, signal?: AbortSignal): Promise<Imported> {
  const file = bundle.main.file.name;
  const name = /\.json$/i.test(file) ? {} : { name: file.replace(/\.[^.]+$/, "").slice(0, 120) };
  const { body, query } = await sent(bundle, how);
  return take(api.POST("/api/v1/levels/import", { params: { query: { ...name, ...query } }, body, ...asBytes, ...(signal ? { signal } : {}) }));
}

/** Takes a changed file into a level again. dry only says what it would change. */
export async function bringInAgain(id: string, bundle: Bundle, how: HowToRead, dry: boolean): Promise<Schemas["Merged"]> {
  const { body, query } = await sent(bundle, how);
  return take(api.POST("/api/v1/levels/{id}/import", { params: { path: { id }, query: { ...query, dry } }, body, ...asBytes }));
}

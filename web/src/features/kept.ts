import { delMany, entries, set, del } from "idb-keyval";
import type { Edit } from "../model/queue";

// Edits that are not saved yet, in the browser's own database. Each tab has a shelf of its own,
// so that two tabs on one level do not send each other's edits. A tab holds a lock as long as
// it is open; what lies on the shelf of a tab that was closed is taken over by the next one.
// Without locks (a page that is not served over TLS or from this machine) a tab takes its own.

const tabName = "grotta-tab";

/** A name for this tab that a reload keeps. */
async function tabID(): Promise<string> {
  const was = sessionStorage.getItem(tabName);
  const id = was && (await hold(was)) ? was : crypto.getRandomValues(new Uint32Array(4)).join("-");
  if (id !== was) await hold(id);
  sessionStorage.setItem(tabName, id);
  return id;
}

/** Holds the lock of a tab until the page is closed; false where another tab has it, as one
 *  that was duplicated does. */
function hold(id: string): Promise<boolean> {
  if (!navigator.locks) return Promise.resolve(true);
  return new Promise((held) => {
    void navigator.locks.request(`${tabName} ${id}`, { ifAvailable: true }, (lock) => {
      held(lock !== null);
      return lock ? new Promise(() => {}) : undefined;
    });
  });
}

let tab: Promise<string> | undefined;
const thisTab = () => (tab ??= tabID());

const shelfOf = (user: string, level: string, id: string) => `edits/${user}/${level}/${id}`;

/** Keeps the edits of this tab. A private window keeps nothing, which is no error. */
export async function keepEdits(user: string, level: string, edits: readonly Edit[]): Promise<void> {
  const key = shelfOf(user, level, await thisTab());
  await (edits.length > 0 ? set(key, edits) : del(key)).catch(() => undefined);
}

/** The edits that this tab and tabs that were closed have left, oldest shelf first. They lie on
 *  the shelf of this tab from then on. */
export async function takeKept(user: string, level: string): Promise<Edit[]> {
  const shelves = shelfOf(user, level, "");
  const own = shelfOf(user, level, await thisTab());
  const open = new Set((await navigator.locks?.query())?.held?.map((l) => l.name) ?? []);
  const isLeft = (key: string) => key.startsWith(shelves) && navigator.locks !== undefined && !open.has(`${tabName} ${key.slice(shelves.length)}`);
  const found = (await entries<string, Edit[]>().catch(() => [])).filter(([key]) => key === own || isLeft(key));
  const edits = found.flatMap(([, kept]) => kept);
  await keepEdits(user, level, edits);
  await delMany(found.map(([key]) => key).filter((key) => key !== own)).catch(() => undefined);
  return edits;
}

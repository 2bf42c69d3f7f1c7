import type { Document, Level } from "../api/client";

// Which platforms a level is for.

/** The platform of a level; one that names none is judged by this. */
export const platformOf = (level: Pick<Level, "platform">): string => level.platform || "baked-arena";

/** All platforms that a level is for, its own first. */
export function platformsOf(doc: Document): string[] {
  const own = platformOf(doc.document);
  return [own, ...(doc.document.also_for ?? []).filter((name) => name !== own)];
}

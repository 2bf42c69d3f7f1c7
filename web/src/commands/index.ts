import { keyOf, type Command, type Context } from "./command";
import { editCommands } from "./edit";
import { placeCommands } from "./place";
import { viewCommands } from "./view";

export * from "./command";

/** Every command, in the order of the palette. */
export const commands: readonly Command[] = [...editCommands, ...placeCommands, ...viewCommands];

const byKey = new Map(commands.flatMap((c) => (c.keys ?? []).map((k) => [k, c] as const)));
export const commandByID = new Map(commands.map((c) => [c.id, c]));

/** Runs the command of a key; true if there was one that could run. */
export function runKey(e: KeyboardEvent, context: Context): boolean {
  const command = byKey.get(keyOf(e));
  if (!command || (e.repeat && !command.repeats) || command.whyNot?.(context)) return false;
  command.run(context, e);
  return true;
}

/** Commands whose title or other words have all words of a query, those first that begin with it. */
export function matching(query: string): Command[] {
  const words = query.toLowerCase().split(/\s+/).filter(Boolean);
  return commands
    .filter((c) => words.every((w) => `${c.title} ${c.group} ${c.also ?? ""}`.toLowerCase().includes(w)))
    .sort((a, b) => Number(b.title.toLowerCase().startsWith(query.toLowerCase())) - Number(a.title.toLowerCase().startsWith(query.toLowerCase())));
}

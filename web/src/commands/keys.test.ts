import { expect, test } from "vitest";
import page from "../../../docs/console.md?raw";
import { commands, keyLabel } from ".";

/** A row of the list of keys in docs/console.md. */
const row = (group: string, title: string, keys: readonly string[]) => `| ${group} | ${title} | ${keys.map((k) => `\`${keyLabel(k)}\``).join(", ")} |`;

test("docs/console.md lists all keys", () => {
  const documented = page
    .split("## All keys")[1]!
    .split("\n")
    .filter((line) => line.startsWith("| ") && !line.startsWith("| --") && !line.startsWith("| group"));
  const all = commands.filter((c) => c.keys?.length).map((c) => row(c.group, c.title, c.keys!));
  expect(documented).toEqual(all);
});

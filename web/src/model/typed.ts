/** What was typed after a key; null where the key does not belong to a number. */
export function typedAfter(typed: string, key: string): string | null {
  if (/^[0-9]$/.test(key)) return typed + key;
  if ((key === "." || key === ",") && !typed.includes(".")) return `${typed}.`;
  if (key === "-") return typed.startsWith("-") ? typed.slice(1) : `-${typed}`;
  if (key === "Backspace") return typed.slice(0, -1);
  return null;
}

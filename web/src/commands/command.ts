import type { Document, Level, Operation } from "../api/client";
import type { Gesture } from "../model/queue";

// A command is anything that can be done on the bench, once: its words, its keys, when it is
// possible, and what it does. Menus, the palette, the toolbar, the sheet of keys and the
// keyboard all read the same list.

export type Context = {
  doc: Document;
  level: Level;
  canEdit: boolean;
  selection: readonly string[];
  /** Changes the level; the steps of one gesture become one revision. */
  edit: (op: Operation, gesture?: Gesture) => void;
  undo: () => void;
  redo: () => void;
  bake: (quality: "draft" | "good" | "final") => void;
};

export type Group = "Edit" | "Select" | "Place" | "Light" | "View" | "Camera" | "Help";

export type Command = {
  id: string;
  title: string;
  /** Other words that people look for it by. */
  also?: string;
  /** Fewer words, for a button. */
  short?: string;
  group: Group;
  /** "Ctrl+D", "Delete", "h"; Ctrl is also the Command key. */
  keys?: readonly string[];
  /** Why it cannot be done now; "" where it can. */
  whyNot?: (c: Context) => string;
  /** Whether it is on, for what can be switched. */
  isOn?: () => boolean;
  /** Held keys repeat it. */
  repeats?: boolean;
  run: (c: Context, event?: KeyboardEvent) => void;
};

export const needsEdit = (c: Context) => (c.canEdit ? "" : "You may look at this level, not change it.");
export const needsSelection = (c: Context) => (c.selection.length > 0 ? "" : "Nothing is selected.");
export const needsBoth = (c: Context) => needsEdit(c) || needsSelection(c);

/** The name of a key event as commands write it. */
export function keyOf(e: Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "altKey" | "shiftKey">): string {
  const lower = e.key === " " ? "Space" : e.key.length === 1 ? e.key.toLowerCase() : e.key;
  const shown = (e.ctrlKey || e.metaKey) && lower.length === 1 ? lower.toUpperCase() : lower;
  // Shift is part of a sign such as "?", and is named where it is not.
  const shift = e.shiftKey && (e.key.length > 1 || /[a-z]/i.test(e.key));
  return `${e.ctrlKey || e.metaKey ? "Ctrl+" : ""}${e.altKey ? "Alt+" : ""}${shift ? "Shift+" : ""}${shown}`;
}

/** How a key is shown to people. */
export function keyLabel(key: string): string {
  const signs: Record<string, string> = { ArrowLeft: "←", ArrowRight: "→", ArrowUp: "↑", ArrowDown: "↓", Escape: "Esc", Delete: "Del" };
  return key
    .split(/(?<=.)\+/) // the plus sign is a key too
    .map((k) => signs[k] ?? (k.length === 1 ? k.toUpperCase() : k))
    .join(" ");
}

// What the view can show of a level, each with its words and its key.

export const viewModes = [
  { id: "unlit", title: "Unlit", key: "1" },
  { id: "final", title: "Lit", key: "2" },
  { id: "light", title: "Light alone", key: "3" },
  { id: "brightness", title: "Brightness", key: "4" },
  { id: "clipping", title: "Clipping", key: "6" },
  { id: "texels", title: "Texels", key: "5", rare: true },
  { id: "backs", title: "Backs", key: "7", rare: true },
  { id: "leaks", title: "Leaks", key: "8", rare: true },
  { id: "shadows", title: "Shadows", key: "9", rare: true },
  { id: "reflections", title: "Reflections", key: "0", rare: true },
  { id: "ground", title: "Ground", key: "Shift+h", rare: true },
] as const;

export type ViewMode = (typeof viewModes)[number]["id"];

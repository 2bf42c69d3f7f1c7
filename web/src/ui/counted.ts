/** How many there are of a thing, with its name. */
export const counted = (n: number, one: string) => `${n.toLocaleString("en")} ${one}${n === 1 ? "" : "s"}`;

/** How many there are of a thing, with its name; many is its plural where that is not with an s. */
export const counted = (n: number, one: string, many = `${one}s`) => `${n.toLocaleString("en")} ${n === 1 ? one : many}`;

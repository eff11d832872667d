/** The name that goes along with every request. */
const KEY = "nomotax.person";

/** Who works here, as they have said; "" while nobody has. */
export const person = (): string => localStorage.getItem(KEY) ?? "";

/** Remembers who works here, in this browser. */
export const setPerson = (name: string): void => localStorage.setItem(KEY, name.trim());

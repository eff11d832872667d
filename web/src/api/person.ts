/** The name that goes along with every request. */
const KEY = "nomotax.person";

export const person = (): string => localStorage.getItem(KEY) ?? "";

export const setPerson = (name: string): void => localStorage.setItem(KEY, name.trim());

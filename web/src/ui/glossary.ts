import entries from "./glossary.json";

export interface Term {
  id: string;
  term: string;
  unit: string;
  meaning: string;
  /** The other sense in which practitioners use it, where there is one. */
  also: string;
}

/** Our one meaning of each term; docs/words.md is written from the same list. */
export const GLOSSARY: readonly Term[] = entries;

export type TermId = (typeof entries)[number]["id"];

export function termOf(id: TermId) {
  return GLOSSARY.find((one) => one.id === id);
}

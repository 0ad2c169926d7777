/** The units that words of the server come in, as the reader chose them. */
let units = "";

export function readWordsIn(named: string) {
  units = named;
}

export const wordsReadIn = () => units;

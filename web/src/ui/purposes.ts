/** What a version of a profile may be pulled for. */
export type Purpose = "black" | "milk" | "long";

export const PURPOSES: readonly { value: Purpose | ""; words: string }[] = [
  { value: "", words: "any drink" },
  { value: "black", words: "black" },
  { value: "milk", words: "in milk" },
  { value: "long", words: "long" },
];

export function purposeWords(purpose: Purpose | null) {
  return PURPOSES.find((one) => one.value === purpose)?.words ?? "";
}

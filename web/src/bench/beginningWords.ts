import { plain } from "../ui/format";
import { grams } from "../ui/units";
import type { LooseAnswer, Part } from "./beginning";

const TITLES: Record<Part, string> = {
  machine: "Machine",
  grinder: "Grinder",
  coffee: "Coffee",
  basket: "Basket, dose",
  drink: "Drink",
};

export function partTitle(part: Part) {
  return TITLES[part];
}

const HANDS: Record<string, string> = {
  pressure: "sets a pressure",
  flow: "sets a flow",
  both: "pressure and flow",
  valve: "a valve ahead of the pump",
  "spring-lever": "a lever with springs",
  "hand-lever": "a lever without springs",
  stages: "preset stages",
  switch: "on and off",
};

/** A typed value as words: a number plainly, anything else as it stands. */
function typed(value: unknown) {
  return typeof value === "number" ? plain(value) : String(value ?? "");
}

/** What was said of a part, in a few words; what it means that nothing was. */
export function partWords(part: Part, said: LooseAnswer | null | undefined): string {
  if (said === undefined) return "";
  if (said === null) return "left open";
  switch (part) {
    case "machine":
      return HANDS[String(said.hand)] ?? "";
    case "grinder":
      return `${typed(said.lowest)} to ${typed(said.highest)}, espresso near ${typed(said.espresso)}`;
    case "coffee":
      return `${said.roast}${said.roasted_on ? "" : ", roast date open"}`;
    case "basket":
      return `${typeof said.dose_g === "number" ? grams(said.dose_g) : typed(said.dose_g)}${said.weighed === false ? ", levelled" : ""}, ${typed(said.diameter_mm)} mm`;
    case "drink":
      return `1 : ${typed(said.ratio)}${said.milk ? ", in milk" : ""}`;
  }
}

import type { TermId } from "./glossary";
import { TermHint } from "./TermHint";

const TERMS: Record<string, TermId> = {
  "Shot time": "shot_time",
  "First drip": "first_drip",
  Yield: "yield",
  Ratio: "ratio",
  "Strength (TDS)": "strength",
  "Extraction (EY)": "extraction",
  "Peak pressure": "peak_pressure",
  "Water used": "water_used",
  Dose: "dose",
  Grind: "grind",
};

/** The name of a figure, with what it means where the glossary has it. */
export function FigureName({ name }: { name: string }) {
  const of = TERMS[name];
  return of ? <TermHint of={of}>{name}</TermHint> : name;
}

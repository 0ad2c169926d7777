import type { Prediction, Want } from "../api/client";
import { amount } from "../ui/units";

type FigureName = Want["figure"];

/** Figures one may want something of, with the digits they are shown in. */
export const WANTABLE: readonly { value: FigureName; words: string; unit: string; step: number }[] =
  [
    { value: "shot_time_s", words: "shot time", unit: "s", step: 0.5 },
    { value: "shot_time_from_first_drip_s", words: "time from first drip", unit: "s", step: 0.5 },
    {
      value: "shot_time_from_full_pressure_s",
      words: "time from full pressure",
      unit: "s",
      step: 0.5,
    },
    { value: "first_drip_s", words: "first drip", unit: "s", step: 0.5 },
    { value: "pre_infusion_end_s", words: "end of pre-infusion", unit: "s", step: 0.5 },
    { value: "yield_g", words: "yield", unit: "g", step: 0.5 },
    { value: "tds_pct", words: "strength", unit: "%", step: 0.1 },
    { value: "extraction_yield_pct", words: "extraction", unit: "%", step: 0.1 },
    { value: "peak_pressure_bar", words: "peak", unit: "bar", step: 0.1 },
    { value: "late_flow_ml_s", words: "last flow", unit: "mL/s", step: 0.1 },
    { value: "water_in_ml", words: "water used", unit: "mL", step: 1 },
  ];

export const RELATIONS = [
  { value: "at", words: "about" },
  { value: "at_least", words: "at least" },
  { value: "at_most", words: "at most" },
] as const;

export type Relation = (typeof RELATIONS)[number]["value"];

/** A want's relation and number. */
export function wantParts(want: Want): { relation: Relation; value: number } {
  const relation = RELATIONS.find((one) => want[one.value] != null)?.value ?? "at";
  return { relation, value: want[relation] ?? 0 };
}

/** A want as words beside its figure: "goal 28 s", "at most 9 bar". */
export function wantWords(want: Want) {
  const { relation, value } = wantParts(want);
  const unit = WANTABLE.find((one) => one.value === want.figure)?.unit ?? "";
  const lead = { at: "goal", at_least: "at least", at_most: "at most" }[relation];
  return `${lead} ${amount(Number(value.toFixed(2)), unit)}`;
}

/** Whether a prediction does what is wanted, within what nobody could tell. */
export function meets(prediction: Prediction, want: Want) {
  const value = prediction[want.figure].value;
  if (value === null) return false;
  const { relation, value: wanted } = wantParts(want);
  const near = want.figure.endsWith("_s") ? 0.5 : 0.15;
  if (relation === "at_least") return value >= wanted - near;
  if (relation === "at_most") return value <= wanted + near;
  return Math.abs(value - wanted) <= near;
}

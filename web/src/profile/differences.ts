import type { Difference } from "../api/client";

const signed = (value: number, digits = 1) =>
  `${value > 0 ? "+" : ""}${value.toFixed(digits)}`.replace(/^\+?-?0\.?0*$/, "0");

/** Below 1 two shots pass for the same; in words. */
export function apartWords(apart: number) {
  if (apart < 0.5) return "passes for the same shot";
  if (apart < 1) return "is hard to tell apart";
  if (apart < 2) return "can be told apart";
  return "is another shot";
}

/** What of a difference is worth a word: "shot +1.2 s, extraction −0.3 points". */
export function differenceWords(one: Difference) {
  const parts = [];
  if (Math.abs(one.shot_time_change_s) >= 0.1)
    parts.push(`shot ${signed(one.shot_time_change_s)} s`);
  if (Math.abs(one.extraction_yield_change_points) >= 0.05)
    parts.push(`extraction ${signed(one.extraction_yield_change_points)} points`);
  if (one.pressure_rms_bar >= 0.05)
    parts.push(`pressure ${one.pressure_rms_bar.toFixed(1)} bar off`);
  if (Math.abs(one.yield_change_g) >= 0.2) parts.push(`cup ${signed(one.yield_change_g)} g`);
  return parts.length ? parts.join(", ") : "no change that can be told";
}

/** A difference's figures as one row of a table, in the order of DIFFERENCE_HEADS. */
export function differenceCells(one: Difference) {
  return [
    one.pressure_rms_bar.toFixed(1),
    one.flow_rms_ml_s.toFixed(2),
    signed(one.shot_time_change_s),
    signed(one.yield_change_g),
    signed(one.extraction_yield_change_points),
    signed(one.bright_change_pct, 2),
    signed(one.sweet_change_pct, 2),
    signed(one.bitter_change_pct, 2),
    one.apart.toFixed(1),
  ];
}

export const DIFFERENCE_HEADS = [
  "pressure, bar off",
  "flow, mL/s off",
  "shot, s",
  "cup, g",
  "extraction, points",
  "bright, %",
  "sweet, %",
  "bitter, %",
  "apart",
] as const;

import type { Difference } from "../api/client";
import { apartNumber, readUnit } from "../ui/units";

const signed = (value: number, digits = 1) => signedText(value, value.toFixed(digits));
const signedText = (value: number, text: string) =>
  `${value > 0 ? "+" : ""}${text}`.replace(/^\+?-?0\.?0*$/, "0");
const signedCup = (value_g: number) => signedText(value_g, apartNumber(value_g, "g", 1));

/** Below 1 two shots pass for the same; in words. */
export function apartWords(distance: number) {
  if (distance < 0.5) return "is the same shot as far as one can taste";
  if (distance < 1) return "is hardly different";
  if (distance < 2) return "is noticeably different";
  return "is a different shot";
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
  if (Math.abs(one.yield_change_g) >= 0.2)
    parts.push(`cup ${signedCup(one.yield_change_g)} ${readUnit("g")}`);
  return parts.length ? parts.join(", ") : "no noticeable change";
}

/** A difference's figures as one row of a table, in the order of differenceHeads. */
export function differenceCells(one: Difference) {
  return [
    one.pressure_rms_bar.toFixed(1),
    one.flow_rms_ml_s.toFixed(2),
    signed(one.shot_time_change_s),
    signedCup(one.yield_change_g),
    signed(one.extraction_yield_change_points),
    signed(one.bright_change_pct, 2),
    signed(one.sweet_change_pct, 2),
    signed(one.bitter_change_pct, 2),
    one.distance.toFixed(1),
  ];
}

export const differenceHeads = () => [
  "pressure, bar off",
  "flow, mL/s off",
  "shot, s",
  `cup, ${readUnit("g")}`,
  "extraction, points",
  "bright, %",
  "sweet, %",
  "bitter, %",
  "distance",
];

import type { Finding, Shot } from "../../api/client";
import type { Chart } from "../../charts/frame";
import { type Channel, scaleFor, valueAt } from "../../charts/paths";

type Kind = Finding["kind"];

/** On which curve a finding is marked. */
const ON: Partial<Record<Kind, Channel>> = {
  meter: "water_in_ml_s",
  ran_like: "cup_out_ml_s",
  opened: "cup_out_ml_s",
  run_away: "cup_out_ml_s",
  early_resistance: "cup_out_ml_s",
  loosened: "cup_out_ml_s",
  water_count: "water_in_ml_s",
  late_meeting: "cup_out_ml_s",
  over_soaked: "cup_g",
  level: "cup_out_ml_s",
};

/** What only measures: the figures under the findings say it. */
const MEASURED: Kind[] = ["first_drip", "stop"];

/** Findings that head the page, then the notes. */
export function sorted(findings: Finding[]) {
  return {
    heading: findings.filter((one) => one.weight === "finding"),
    notes: findings.filter((one) => one.weight === "note" && !MEASURED.includes(one.kind)),
  };
}

/** The moment a finding is marked at. */
function momentOf(finding: Finding) {
  if (finding.kind === "opened") return finding.at_s;
  const lasts = finding.to_s - finding.from_s;
  return finding.from_s + lasts * (lasts > 12 ? 0.6 : 0.5);
}

const SIZE = 18;

export interface Place {
  x: number;
  y: number;
}

/** Where each finding's number stands: on its curve, none over another. */
export function placesOf(chart: Chart, traces: Shot["traces"], findings: Finding[]): Place[] {
  const taken: Place[] = [];
  for (const finding of findings) {
    const t = momentOf(finding);
    const channel =
      "unit" in finding && finding.unit === "mL/s"
        ? "water_in_ml_s"
        : (ON[finding.kind] ?? "pressure_bar");
    const value = valueAt(traces.time_s, traces[channel], t) ?? 0;
    const y = scaleFor(chart, channel)(value);
    const x = Math.min(Math.max(chart.x(t), chart.left + SIZE / 2), chart.right - SIZE / 2);
    const pane = channel === "pressure_bar" ? chart.upper : chart.lower;
    const place = { x, y: Math.max(pane.top + SIZE / 2, y - SIZE * 0.8) };
    while (taken.some((other) => meets(other, place))) place.x += SIZE + 3;
    taken.push(place);
  }
  return taken;
}

function meets(a: Place, b: Place) {
  return Math.abs(a.x - b.x) < SIZE + 2 && Math.abs(a.y - b.y) < SIZE + 2;
}

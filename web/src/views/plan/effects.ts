import type { Prediction } from "../../api/client";
import { amount, amountNumber } from "../../ui/units";

const TOLD = [
  { figure: "shot_time_s", name: "shot", unit: "s", least: 0.1 },
  { figure: "first_drip_s", name: "first drip", unit: "s", least: 0.1 },
  { figure: "yield_g", name: "cup", unit: "g", least: 0.2 },
  { figure: "tds_pct", name: "strength", unit: "%", least: 0.05 },
  { figure: "extraction_yield_pct", name: "extraction", unit: "%", least: 0.05 },
  { figure: "peak_pressure_bar", name: "peak", unit: "bar", least: 0.05 },
  { figure: "late_flow_ml_s", name: "last flow", unit: "mL/s", least: 0.05 },
] as const satisfies readonly {
  figure: keyof Prediction;
  name: string;
  unit: string;
  least: number;
}[];

/** What changes from one prediction to another, figure by figure: "shot 27.0 to 29.1 s". */
export function effectsOf(before: Prediction, after: Prediction) {
  return TOLD.flatMap(({ figure, name, unit, least }) => {
    const [was, now] = [before[figure].value, after[figure].value];
    if (was === null || now === null || Math.abs(now - was) < least) return [];
    return [`${name} ${amountNumber(was, unit, 1)} to ${amount(now, unit, 1)}`];
  });
}

import type { Machine } from "../api/client";

type Control = Machine["control"];
export type ControlKind = Control["kind"];

/** The kinds of machine, in words, and what each begins as when it is chosen. */
export const CONTROLS: readonly { value: ControlKind; words: string; begins: object }[] = [
  { value: "both-loops", words: "pressure and flow", begins: {} },
  { value: "pressure-loop", words: "pressure", begins: {} },
  { value: "flow-loop", words: "flow", begins: {} },
  {
    value: "valve",
    words: "a needle valve ahead of the pump",
    begins: { pump_bar: 9, turns: [0, 1, 2, 3], free_flow_ml_s: [0, 2.4, 6, 8] },
  },
  { value: "staged", words: "a fixed list of stages", begins: { holds: "pressure" } },
  {
    value: "spring-lever",
    words: "a spring lever",
    begins: {
      springs: [{ top_bar: 8.5, end_bar: 4, from_ml: 0, to_ml: null }],
      stroke_ml: 60,
      line_bar: 1.2,
    },
  },
  { value: "hand-lever", words: "a hand lever", begins: { bar_per_kg: 0.4, stroke_ml: 60 } },
  { value: "soft-start", words: "on, off and a soft start", begins: { pump_bar: 9, rise_s: 4 } },
];

export function controlWords(kind: ControlKind) {
  return CONTROLS.find((one) => one.value === kind)?.words ?? kind;
}

export const ALONG = [
  { value: "time", words: "time" },
  { value: "water", words: "water" },
  { value: "cup", words: "cup" },
] as const;

/** A machine to begin with: a pump that tracks pressure and flow. */
export const NEW_MACHINE = {
  name: "",
  note: "",
  mode: null,
  control: { kind: "both-loops" },
  relief_bar: 11,
  floor_bar: 0,
  top_flow_ml_s: 9,
  pump_max_bar: 15,
  when_off: "dump",
  head_free_ml: 7,
  head_trapped_ml: 3.1,
  hose_ml_bar: 0.15,
  boiler_ml: null,
  heater_w: 1200,
  water_follows_s: null,
  preamble: null,
  pressure_lag_s: 0.4,
  flow_lag_s: 0.12,
  scale_lag_s: 0.2,
  gauge_at: "pump",
  dial_drop: 0,
  dial_zero_bar: 0,
  after_drip_g: null,
  group: null,
  steps: { pressure_bar: 0.1, flow_ml_s: 0.1, valve_turns: 0.05, force_kg: 0.5, seconds: 0.1 },
  program: {
    stages: null,
    ramps: true,
    pauses: true,
    limits: true,
    exits: null,
    along: ["time", "water", "cup"],
    slots: 0,
    name_length: null,
    characters: "any",
  },
  modes: [],
};

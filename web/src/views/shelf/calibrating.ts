import type { Kept, Measured } from "../../api/client";
import type { Subject } from "../../api/queries";
import type { Typed } from "../../ui/NumberField";

export type What = Kept["what"];

interface Column {
  field: string;
  label: string;
  unit: string;
  step: number;
}

interface Pick {
  field: string;
  label: string;
  options: readonly { value: string; words: string }[];
}

const NOT_SAID = { value: "", words: "not said" };
const options = (...words: string[]) => [
  NOT_SAID,
  ...words.map((one) => ({ value: one, words: one })),
];

/** One kind of calibration: how it is measured, and what is written down each time. */
export interface Journey {
  what: What;
  name: string;
  how: string;
  /** A single number a row, or several named ones. */
  columns: readonly Column[];
  /** What is chosen of each row besides. */
  picks?: readonly Pick[];
  single?: boolean;
  rows: number;
}

const column = (field: string, label: string, unit: string, step = 0.1): Column => ({
  field,
  label,
  unit,
  step,
});

const JOURNEYS: Record<Subject, readonly Journey[]> = {
  machine: [
    {
      what: "valve",
      name: "Valve to free flow",
      how: "No basket. At each position let water run into a jug for about 20 s and weigh it. Three positions at least, six for a good curve; from nearly shut to wide open.",
      columns: [
        column("turns", "Position", "turns", 0.25),
        column("seconds", "Ran for", "s", 1),
        column("water_g", "Weighed", "g", 1),
      ],
      rows: 4,
    },
    {
      what: "dial",
      name: "Dial to puck",
      how: "Read the machine's dial and a gauge at the basket at the same moment, at two flows or more: what the dial reads too much grows with the flow.",
      columns: [
        column("dial_bar", "Dial", "bar"),
        column("puck_bar", "At the basket", "bar"),
        column("flow_ml_s", "Flow", "mL/s"),
      ],
      rows: 3,
    },
    {
      what: "group-temperature",
      name: "Boiler to group",
      how: "Set the boiler, wait until it holds, flush, and measure what comes out of the group. Three settings at least.",
      columns: [column("boiler_c", "Boiler", "°C", 0.5), column("group_c", "Group", "°C", 0.5)],
      picks: [
        {
          field: "probe",
          label: "Probe",
          options: options("thermocouple", "resistance", "thermometer", "infrared"),
        },
        {
          field: "place",
          label: "Place",
          options: options("in the stream", "in the basket", "in the cup", "on the group"),
        },
      ],
      rows: 3,
    },
    {
      what: "fill",
      name: "Fill volume",
      how: "An empty basket, the group dry. Pump until the first drip and note the water pumped. Twice or more.",
      columns: [column("value", "Water before the first drip", "mL")],
      single: true,
      rows: 3,
    },
    {
      what: "after-drip",
      name: "After-drip",
      how: "From your shots: the weight when it stopped, and the weight once it dripped no more.",
      columns: [column("at_stop_g", "At the stop", "g"), column("settled_g", "Settled", "g")],
      rows: 3,
    },
    {
      what: "scale-lag",
      name: "Scale lag",
      how: "Put a known weight down and time how long the scale takes to show it. Twice or more.",
      columns: [column("value", "Shown after", "s", 0.05)],
      single: true,
      rows: 3,
    },
  ],
  coffee: [
    {
      what: "crema",
      name: "Crema",
      how: "Pull into a marked glass standing on the scale: where the top of the crema is, and what it weighs. Twice or more.",
      columns: [column("glass_ml", "Top of the crema", "mL", 1), column("yield_g", "Weighed", "g")],
      rows: 2,
    },
  ],
  grinder: [
    {
      what: "grind",
      name: "Settings to size",
      how: "Settings and the grain size each gives, from a sieve or a shot you know. Three or more tell the error.",
      columns: [column("setting", "Setting", "", 0.5), column("grind_um", "Size", "µm", 5)],
      rows: 3,
    },
  ],
};

/** The calibrations there are for a thing; a valve's only where there is a valve. */
export function journeysOf(subject: Subject, valve: boolean) {
  return JOURNEYS[subject].filter((one) => one.what !== "valve" || valve);
}

export type Rows = Typed[][];

export function emptyRows(journey: Journey): Rows {
  return Array.from({ length: journey.rows }, () => journey.columns.map(() => null));
}

/** What is chosen of each row; a new one is measured as the row before. */
export type Picks = string[][];

export function emptyPicks(journey: Journey): Picks {
  return Array.from({ length: journey.rows }, () => journey.picks?.map(() => "") ?? []);
}

/** The rows of which a part is still missing, counted from one. */
export function unfinished(rows: Rows) {
  const part = (row: Rows[number]) => row.includes(null) && row.some((cell) => cell !== null);
  return rows.flatMap((row, i) => (part(row) ? [i + 1] : []));
}

/** What was typed as the server takes it; rows that are not complete yet are left out. */
export function measuredOf(journey: Journey, rows: Rows, picks: Picks): Measured {
  const written = rows.flatMap((row, at) => {
    if (row.includes(null)) return [];
    if (journey.single) return [row[0]];
    const numbers = journey.columns.map(({ field }, i) => [field, row[i]]);
    const chosen = journey.picks?.map(({ field }, i) => [field, picks[at]?.[i] || null]) ?? [];
    return [Object.fromEntries([...numbers, ...chosen])];
  });
  return { what: journey.what, rows: written } as unknown as Measured;
}

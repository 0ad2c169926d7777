import type { Profile } from "../api/client";
import type { Typed } from "../ui/NumberField";

/**
 * A profile as it stands on the page: the document's shape, but a number may still be text that
 * is none. The server says what is wrong with it; nothing typed is thrown away.
 */
export interface LooseExit {
  when: ExitWhen;
  value?: Typed;
}

export interface LoosePhase {
  name: string;
  kind: Kind;
  command: { control: Control; from?: Typed; to?: Typed; springs?: number };
  along: Along;
  over: Typed;
  shape: Shape;
  limit: { pressure_bar?: Typed; flow_ml_s?: Typed };
  water_c?: Typed;
  exits: LooseExit[];
}

export interface LooseProfile {
  format: "vapocline/profile";
  version: number;
  name: string;
  note: string;
  water_c?: Typed;
  stop: { cup_g?: Typed; water_ml?: Typed; time_s: Typed };
  phases: LoosePhase[];
}

type Phase = Profile["phases"][number];
export type Kind = Phase["kind"];
export type Control = Phase["command"]["control"];
export type Along = Phase["along"];
export type Shape = Phase["shape"];
export type ExitWhen = Phase["exits"][number]["when"];

/** A saved profile as one to edit; parts this page does not know stay in it. */
export function loosened(profile: Profile): LooseProfile {
  return profile as unknown as LooseProfile;
}

/** The same as the server takes it. It may be refused: that is the server's to say. */
export function asProfile(loose: LooseProfile): Profile {
  return loose as unknown as Profile;
}

export const KINDS: readonly { value: Kind; words: string }[] = [
  { value: "fill", words: "Fill" },
  { value: "pre-infusion", words: "Pre-infusion" },
  { value: "bloom", words: "Bloom" },
  { value: "ramp", words: "Ramp" },
  { value: "hold", words: "Hold" },
  { value: "decline", words: "Decline" },
  { value: "finish", words: "Finish" },
];

export const CONTROLS: readonly { value: Control; words: string; unit: string; step: number }[] = [
  { value: "pressure", words: "pressure", unit: "bar", step: 0.1 },
  { value: "flow", words: "flow", unit: "mL/s", step: 0.1 },
  { value: "valve", words: "valve", unit: "turns", step: 0.05 },
  { value: "spring", words: "spring lever", unit: "", step: 0 },
  { value: "force", words: "hand force", unit: "kg", step: 0.5 },
  { value: "off", words: "pump off", unit: "", step: 0 },
];

export const ALONGS: readonly { value: Along; words: string; unit: string; step: number }[] = [
  { value: "time", words: "", unit: "s", step: 0.5 },
  { value: "water", words: "pumped", unit: "mL", step: 1 },
  { value: "cup", words: "in the cup", unit: "g", step: 1 },
];

export const SHAPES: readonly { value: Shape; words: string }[] = [
  { value: "linear", words: "straight" },
  { value: "smooth", words: "eased" },
  { value: "spring", words: "like a spring" },
  { value: "step", words: "in one step" },
];

/** Exits: how each is written before and after its number, and what the arrows step by. */
export const EXITS: readonly {
  value: ExitWhen;
  words: string;
  unit: string;
  step: number;
  first?: number;
}[] = [
  { value: "seconds", words: "time", unit: "s", step: 0.5, first: 10 },
  { value: "pressure_above", words: "pressure up to", unit: "bar", step: 0.1, first: 4 },
  { value: "pressure_below", words: "pressure down to", unit: "bar", step: 0.1, first: 4 },
  { value: "flow_above", words: "flow up to", unit: "mL/s", step: 0.1, first: 3 },
  { value: "flow_below", words: "flow down to", unit: "mL/s", step: 0.1, first: 2 },
  { value: "water_ml", words: "water pumped", unit: "mL", step: 1, first: 30 },
  { value: "cup_g", words: "cup weight", unit: "g", step: 0.5, first: 20 },
  { value: "first_drip", words: "the first drip", unit: "", step: 0 },
  { value: "hand", words: "a hand signal", unit: "", step: 0 },
];

const FIRST_LEVEL: Record<Control, number> = {
  pressure: 6,
  flow: 3,
  valve: 1,
  force: 15,
  spring: 0,
  off: 0,
};

/** A command held at a level, where it has one. */
function commandOf(control: Control, level: Typed): LoosePhase["command"] {
  if (control === "off") return { control };
  return control === "spring" ? { control, springs: 1 } : { control, from: level, to: level };
}

/** A phase to begin with, after the one given: it goes on where that one ends. */
export function phaseAfter(before: LoosePhase | undefined): LoosePhase {
  const control = before?.command.control ?? "pressure";
  const level = before?.command.to ?? FIRST_LEVEL[control];
  return {
    name: "Hold",
    kind: "hold",
    command: commandOf(control, level),
    along: "time",
    over: 0,
    shape: "linear",
    limit: {},
    exits: [{ when: "seconds", value: 10 }],
  };
}

/** The same phase under another command: a fitting level, and no limit that makes no sense. */
export function commanding(phase: LoosePhase, control: Control): LoosePhase {
  if (control === phase.command.control) return phase;
  const level = FIRST_LEVEL[control];
  return {
    ...phase,
    command: commandOf(control, level),
    over: 0,
    limit: {},
  };
}

/** A list with one part changed. */
export function replaced<T>(list: readonly T[], index: number, part: T): T[] {
  return list.map((old, i) => (i === index ? part : old));
}

/** A list with one part moved by a place, if there is room. */
export function moved<T>(list: readonly T[], index: number, by: -1 | 1): T[] {
  const copy = [...list];
  const other = index + by;
  const [a, b] = [copy[index], copy[other]];
  if (a !== undefined && b !== undefined) {
    copy[index] = b;
    copy[other] = a;
  }
  return copy;
}

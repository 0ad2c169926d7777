import { plain } from "../ui/format";
import type { Typed } from "../ui/NumberField";
import { amount, readUnit, temperature } from "../ui/units";
import {
  ALONGS,
  CONTROLS,
  EXITS,
  type LooseExit,
  type LoosePhase,
  type LooseProfile,
} from "./loose";

function said(value: Typed | undefined) {
  if (value === null || value === undefined || value === "") return "?";
  return typeof value === "number" ? plain(value) : value;
}

/** What was typed of an amount, with its unit as it is read. */
export function told(value: Typed | undefined, unit: string) {
  return typeof value === "number" ? amount(value, unit) : `${said(value)} ${readUnit(unit)}`;
}

/** What a move goes along, after its number: "s", "mL pumped". */
export function alongWords({ unit, words }: { unit: string; words: string }) {
  return `${readUnit(unit)} ${words}`.trimEnd();
}

/** An exit in a few words: "4 bar", "20 s", "the first drip". */
export function exitWords(exit: LooseExit) {
  const rule = EXITS.find((one) => one.value === exit.when);
  if (!rule?.unit) return rule?.words ?? exit.when;
  const words = told(exit.value, rule.unit);
  if (exit.when === "pressure_below" || exit.when === "flow_below") return `down to ${words}`;
  if (exit.when === "cup_g") return `${words} in the cup`;
  if (exit.when === "water_ml") return `${words} pumped`;
  return words;
}

/** When a phase ends: "until 4 bar, or 20 s"; a phase with one time only is "for 3 s". */
export function exitsWords(phase: LoosePhase) {
  const [first, ...others] = phase.exits;
  if (!first) return "with no end";
  if (others.length === 0 && first.when === "seconds") return `for ${exitWords(first)}`;
  return `until ${[exitWords(first), ...others.map((exit) => `or ${exitWords(exit)}`)].join(", ")}`;
}

/** What a phase commands, as its block says it; `to` is written "to" here, an arrow on the page. */
export function commandParts(phase: LoosePhase) {
  const { control, from, to } = phase.command;
  const unit = CONTROLS.find((one) => one.value === control)?.unit ?? "";
  const water = waterWords(phase);
  if (control === "off") return { lead: "pump off", from: null, to: null, tail: water };
  if (control === "spring") {
    const lead = phase.command.springs === 2 ? "both springs" : "one spring";
    return { lead: `lever released, ${lead}`, from: null, to: null, tail: water };
  }
  const level = from === to || phase.over === 0;
  const limit = [limitWords(phase), water].filter(Boolean).join(", ");
  const along = ALONGS.find((one) => one.value === phase.along);
  // "for 3 s" says it already where the move ends with the phase.
  const [exit, ...others] = phase.exits;
  const whole = phase.along === "time" && exit?.when === "seconds" && exit.value === phase.over;
  const move =
    level || (whole && others.length === 0)
      ? ""
      : ` over ${told(phase.over, along?.unit ?? "")} ${along?.words ?? ""}`.trimEnd();
  return {
    lead: control === "pressure" ? "" : control,
    from: level && from !== to ? null : said(from),
    to: from === to ? null : said(to),
    tail: `${unit}${move}${limit ? `, ${limit}` : ""}`,
  };
}

/** The same in plain text, for those who listen to the page. */
export function commandWords(phase: LoosePhase) {
  const { lead, from, to, tail } = commandParts(phase);
  const value = [from, to].filter((part) => part !== null).join(" to ");
  return [lead, value, tail].filter(Boolean).join(" ");
}

/** Water of its own; what was typed and is no number stays as it is. */
function waterWords({ water_c }: LoosePhase) {
  if (water_c === null || water_c === undefined) return "";
  return `water ${typeof water_c === "number" ? temperature(water_c) : water_c}`;
}

function limitWords(phase: LoosePhase) {
  const { pressure_bar: bar, flow_ml_s: flow } = phase.limit;
  if (bar !== null && bar !== undefined) return `at most ${said(bar)} bar`;
  if (flow !== null && flow !== undefined) return `flow at most ${said(flow)} mL/s`;
  return "";
}

/** What ends the shot: its first goal, and what else would. */
export function stopWords(stop: LooseProfile["stop"]) {
  const all = [
    stop.cup_g === null || stop.cup_g === undefined ? null : told(stop.cup_g, "g"),
    stop.water_ml === null || stop.water_ml === undefined ? null : told(stop.water_ml, "mL"),
    `${said(stop.time_s)} s`,
  ].filter((part) => part !== null);
  return {
    first: all[0] ?? "",
    others: all
      .slice(1)
      .map((part) => `or ${part}`)
      .join(", "),
  };
}

/** What ended a phase, as an answer or a shot says it, in words. */
export function endedWords(code: string | null | undefined) {
  const words: Record<string, string> = {
    seconds: "its time was up",
    pressure_above: "the pressure was reached",
    pressure_below: "the pressure had fallen",
    flow_above: "the flow was reached",
    flow_below: "the flow had fallen",
    water_ml: "the water was pumped",
    cup_g: "the weight was reached",
    first_drip: "the first drip came",
    hand: "you signalled",
    skip: "it was skipped by hand",
    time_s: "the longest time was up",
    plan_end: "the last phase was over",
    left_alone: "the machine heard nothing of Vapocline and ended it by itself",
  };
  return code ? (words[code] ?? code) : "";
}

/** The unit of what is commanded; nothing for what has none. */
export function unitOf(control: string | undefined) {
  return CONTROLS.find((one) => one.value === control)?.unit ?? "";
}

/** Which phase a field of a profile is in, by its name. */
export function phaseName(field: string, profile: LooseProfile) {
  const index = Number(/(?:^|\.)phases\.(\d+)/.exec(field)?.[1] ?? Number.NaN);
  return profile.phases[index]?.name ?? "All phases";
}

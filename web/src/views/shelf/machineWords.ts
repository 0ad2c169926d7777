import { ALONG, type ControlKind, controlWords } from "../../bench/kinds";
import { EXITS } from "../../profile/loose";
import type { Json } from "../../ui/DocumentForm";
import { listed } from "../../ui/format";
import { amount as amountRead, readUnit } from "../../ui/units";

/** What is typed, with its unit; a blank one as `open` says. */
function amount(value: unknown, unit: string, open = "not given") {
  if (value === null || value === undefined || value === "") return open;
  return typeof value === "number" ? amountRead(value, unit) : `${value} ${readUnit(unit)}`;
}

function part(said: Json, name: string) {
  return (said[name] ?? {}) as Json;
}

/** A lever has no pump: nothing of a pump's limits matters to it. */
export function hasPump(kind: ControlKind) {
  return kind !== "spring-lever" && kind !== "hand-lever";
}

/** A valve's pump is set with its valve, and nothing else bounds its flow. */
export function hasPumpCurve(kind: ControlKind) {
  return hasPump(kind) && kind !== "valve";
}

function kindOf(said: Json) {
  return part(said, "control").kind as ControlKind;
}

export function controlSentence(said: Json) {
  const control = part(said, "control");
  const springs = (control.springs ?? []) as Json[];
  const more: Partial<Record<ControlKind, string>> = {
    valve: `its pump presses with ${amount(control.pump_bar, "bar")}`,
    staged: `each stage holds a ${control.holds}`,
    "spring-lever": `${springs
      .map((one) => `${amount(one.top_bar, "bar")} drawn, ${amount(one.end_bar, "bar")} at its end`)
      .join(
        " and a second spring with ",
      )}; a stroke of ${amount(control.stroke_ml, "mL")}, line water at ${amount(control.line_bar, "bar")}`,
    "hand-lever": `${amount(control.bar_per_kg, "bar")} at the puck for each kg, a stroke of ${amount(control.stroke_ml, "mL")}`,
    "soft-start": `${amount(control.pump_bar, "bar")}, reached in ${amount(control.rise_s, "s")}`,
  };
  const kind = kindOf(said);
  const words = controlWords(kind);
  const rest = more[kind] ? `: ${more[kind]}` : "";
  return `${words.charAt(0).toUpperCase()}${words.slice(1)}${rest}. ${String(said.note ?? "")}`;
}

export function limitsSentence(said: Json) {
  const kind = kindOf(said);
  const gauge = { group: "at the group", pump: "at the pump", none: "" }[String(said.gauge_at)];
  return [
    `The relief valve opens at ${amount(said.relief_bar, "bar")}`,
    hasPump(kind) &&
      (Number(said.floor_bar) > 0
        ? `; the feed gives ${amount(said.floor_bar, "bar")} by itself`
        : "; it is fed from a tank"),
    hasPumpCurve(kind) &&
      `. The pump gives ${amount(said.top_flow_ml_s, "mL/s")} freely and stalls at ${amount(said.pump_max_bar, "bar")}`,
    hasPump(kind) &&
      (said.when_off === "hold"
        ? "; off, it holds its pressure"
        : "; off, it dumps the group through its valve"),
    gauge ? `. Its gauge is ${gauge}.` : ". It has no gauge.",
  ]
    .filter(Boolean)
    .join("");
}

export function modesSentence(said: Json) {
  const modes = (said.modes ?? []) as Json[];
  if (modes.length === 0) return "It has one mode. Another is another way to control it.";
  const others = modes.map((one) => `${one.name}: ${controlWords(kindOf(one))}`);
  return `${said.mode}, as above; ${others.join("; ")}. The bench says which one it is set to.`;
}

export function stepsSentence(said: Json) {
  const steps = part(said, "steps");
  const kind = kindOf(said);
  const levels =
    kind === "valve"
      ? [`the valve by ${amount(steps.valve_turns, "turns")}`]
      : kind === "hand-lever"
        ? [`force by ${amount(steps.force_kg, "kg")}`]
        : kind === "spring-lever"
          ? []
          : [
              `pressure by ${amount(steps.pressure_bar, "bar")}`,
              `flow by ${amount(steps.flow_ml_s, "mL/s")}`,
            ];
  return `It takes ${listed([...levels, `times by ${amount(steps.seconds, "s")}`])}.`;
}

export function programSentence(said: Json) {
  const program = part(said, "program");
  const can = [
    program.ramps && "levels may move within a stage",
    program.pauses && "the pump may rest",
    program.limits && "the other variable can be limited",
  ].filter((one): one is string => Boolean(one));
  const stages = program.stages == null ? "Any number of" : `At most ${program.stages}`;
  const exits = EXITS.filter(
    (one) => program.exits == null || (program.exits as string[]).includes(one.value),
  ).map((one) => one.words);
  const along = ALONG.filter((one) => (program.along as string[]).includes(one.value));
  return [
    `${stages} stages${can.length ? `; ${listed(can)}` : ""}.`,
    `They end by ${program.exits == null ? "anything" : listed(exits)}, moves go along ${listed(along.map((one) => one.words))}.`,
    Number(program.slots) > 0 ? `It keeps ${program.slots} programs.` : "It keeps none.",
  ].join(" ");
}

export function preambleSentence(said: Json) {
  if (!said.preamble) return "It does nothing before a program.";
  const { flow_ml_s, wet_s, soak_s } = said.preamble as Json;
  return `It wets the puck with ${amount(flow_ml_s, "mL/s")} for ${amount(wet_s, "s")} and lets it soak for ${amount(soak_s, "s")}, whatever the program says.`;
}

export function waterPathSentence(said: Json) {
  return [
    `The head fills with ${amount(said.head_free_ml, "mL")}, of which ${amount(said.head_trapped_ml, "mL")} of air stay; hoses give ${amount(said.hose_ml_bar, "mL/bar")}.`,
    `It follows a pressure within ${amount(said.pressure_lag_s, "s")} and a flow within ${amount(said.flow_lag_s, "s")}; the scale shows a weight ${amount(said.scale_lag_s, "s")} late.`,
    `After a stop ${amount(said.after_drip_g, "g", "what the model says")} drips.`,
  ].join(" ");
}

export function heatSentence(said: Json) {
  const boiler =
    said.boiler_ml == null
      ? "Its water is steady."
      : `A boiler of ${amount(said.boiler_ml, "mL")}, heated with ${amount(said.heater_w, "W")}, sags as it gives water.`;
  const byPhase =
    said.water_follows_s == null
      ? "Its water is one for the whole shot."
      : `A phase can have water of its own, two thirds there in ${amount(said.water_follows_s, "s")}.`;
  return `${boiler} ${byPhase} It is warm through in ${amount(said.warm_up_min, "min")}, with steam in ${amount(said.steam_min, "min")} more.`;
}

import type { Shot } from "../api/client";
import { endedWords, unitOf } from "../profile/words";
import { plain } from "../ui/format";
import type { EventOf, ShotEvent } from "./events";

const MARKS: Record<EventOf<"marked">["mark"], string> = {
  first_bead: "first bead",
  face_covered: "face covered",
  dry_side: "a dry side",
  first_drip: "first drip seen",
  blond: "blond",
  spurt: "a spurt",
};

/** One event of a shot, as its log says it. */
export function logWords(event: ShotEvent, shot: Shot): string {
  switch (event.kind) {
    case "phase_began": {
      const name = shot.profile.phases[event.phase]?.name ?? `phase ${event.phase}`;
      return event.after ? `${name} began, as ${endedWords(event.after)}` : `${name} began`;
    }
    case "stopped":
      return event.reason ? `the pump stopped, as ${endedWords(event.reason)}` : "the pump stopped";
    case "nudged":
      return `nudged ${event.control} by ${signed(event.by)} ${unitOf(event.control)}`;
    case "taken_over":
      return `manual control: ${event.control} at ${plain(event.level)} ${unitOf(event.control)}`;
    case "given_back":
      return "control returned to the program";
    case "held":
      return "the phase was held";
    case "released":
      return "the phase was resumed";
    case "marked":
      return `marked: ${MARKS[event.mark]}`;
    case "first_drip":
      return event.seen_by === "hand" ? "first drip, marked by hand" : "first drip, by the scale";
    case "relief_opened":
      return "the relief valve opened";
    case "tank_empty":
      return "the tank was empty";
    case "connection_lost":
      return `the connection to the machine was lost: ${event.message}`;
    case "connection_restored":
      return "the connection to the machine was restored";
    case "recording_resumed":
      return "recording resumed after Vapocline had stopped";
    case "alarm_raised":
    case "recovery_offered":
      return event.message;
  }
}

/** The short name of an event on the chart, where it is worth a mark. */
export function markWords(event: ShotEvent): string | undefined {
  switch (event.kind) {
    case "nudged":
      return `${signed(event.by)} ${unitOf(event.control)}`;
    case "taken_over":
      return "by hand";
    case "given_back":
      return "returned";
    case "held":
      return "held";
    case "released":
      return "on";
    case "marked":
      return MARKS[event.mark];
    case "relief_opened":
      return "relief";
    default:
      return undefined;
  }
}

function signed(value: number) {
  return `${value > 0 ? "+" : ""}${plain(value)}`;
}

import type { Shot } from "../api/client";
import type { ShotEvent } from "../api/useLive";
import { endedWords, unitOf } from "../profile/words";
import { plain } from "../ui/format";

const MARKS: Record<string, string> = {
  first_drip: "first drip seen",
  blond: "blond",
  spurt: "a spurt",
};

/** One event of a shot, as its log says it. */
export function logWords(event: ShotEvent, shot: Shot): string {
  const unit = unitOf(event.because ?? undefined);
  const value = event.value ?? 0;
  switch (event.what) {
    case "phase": {
      const name = shot.profile.phases[event.phase ?? 0]?.name ?? `phase ${event.phase}`;
      return event.because ? `${name} began, as ${endedWords(event.because)}` : `${name} began`;
    }
    case "stop":
      return `the pump stopped, as ${endedWords(event.because)}`;
    case "nudge":
      return `nudged ${event.because} by ${value > 0 ? "+" : ""}${plain(value)} ${unit}`;
    case "take":
      return `taken over by hand: ${event.because} at ${plain(value)} ${unit}`;
    case "give_back":
      return "given back to the program";
    case "hold":
      return "the phase was held";
    case "go_on":
      return "the phase went on";
    case "mark":
      return `marked: ${MARKS[event.because ?? ""] ?? event.because}`;
    case "first_drip":
      return event.because === "hand"
        ? "it dripped, as said by hand"
        : "the scale felt the first drip";
    case "relief":
      return "the relief valve opened";
    case "water_empty":
      return "the tank was empty";
    case "line_lost":
      return `the line to the machine broke: ${event.words ?? ""}`;
    case "line_back":
      return "the line to the machine was made again";
    case "taken_up":
      return "the record was taken up again after Vapocline had stopped";
    default:
      return event.words ?? event.what;
  }
}

/** The short name of an event on the chart, where it is worth a mark. */
export function markWords(event: ShotEvent): string | undefined {
  const unit = unitOf(event.because ?? undefined);
  switch (event.what) {
    case "nudge":
      return `${(event.value ?? 0) > 0 ? "+" : ""}${plain(event.value ?? 0)} ${unit}`;
    case "take":
      return "by hand";
    case "give_back":
      return "given back";
    case "hold":
      return "held";
    case "go_on":
      return "on";
    case "mark":
      return MARKS[event.because ?? ""];
    case "relief":
      return "relief";
    default:
      return undefined;
  }
}

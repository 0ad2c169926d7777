import { type ReactNode, useEffect, useRef } from "react";
import type { Cue, Shot } from "../../api/client";
import { dialMore, onDial, useDialReading } from "../../profile/dial";
import { loosened } from "../../profile/loose";
import { commandWords, endedWords, exitsWords } from "../../profile/words";
import { grams } from "../../ui/units";
import { gateMet, gateWords, type Now, nextStop, secondsTo, stopAt } from "./now";
import { sound } from "./tones";

/** What happens now, what will end it, and what comes then: large enough to read from the machine. */
export function CueBar({ shot, now, running }: { shot: Shot; now: Now; running: boolean }) {
  const phases = loosened(shot.profile).phases;
  const sheet = shot.cues;
  const cue = sheet.find((one) => one.phase === now.phase);
  const gates = (cue ? cue.gates : shot.profile.phases[now.phase]?.exits) ?? [];
  const nextCue = sheet.find((one) => one.phase === now.phase + 1);
  const met = running && !now.stopped && sheet.length > 0 && gates.some((one) => gateMet(one, now));
  const onDialNow = useDialReading((state) => state.on);
  const stop = now.dripped ? nextStop(shot, now) : undefined;
  const firstGate_s = Math.min(
    ...gates.map((one) => secondsTo(one, now) ?? Number.POSITIVE_INFINITY),
  );
  // What comes first is said: a phase's own clock may be far beyond the stop.
  const stopsFirst = stop !== undefined && stop.left_s < firstGate_s;
  useTones(Math.min(firstGate_s, stop?.left_s ?? Number.POSITIVE_INFINITY), now, running);
  if (!running)
    return (
      <Bar
        large={
          shot.state === "done" ? (shot.dry ? "Dry run stored" : "Shot stored") : "Shot incomplete"
        }
        small={shot.trouble ?? "Recording complete."}
      />
    );
  if (now.stopped) {
    const reason = endedWords(now.stopped.reason);
    const armed = stillArmed(shot, now);
    return (
      <Bar
        large={armed ?? "Stopped"}
        small={`${reason}. ${shot.drains ? "It drains hot water: hands clear. " : ""}The last drips are falling; wait until the gauge reads zero.`}
      />
    );
  }
  const { preamble, preamble_s } = shot.prediction;
  if (preamble && now.time_s < preamble_s && now.phase === 0)
    return (
      <Bar
        large="Before the program"
        small={`The machine ${preamble}.`}
        gates={[`${Math.ceil(preamble_s - now.time_s)} s left`]}
        then={phases[0]?.name ?? ""}
        thenSmall={phases[0] ? `${commandWords(phases[0])}, ${exitsWords(phases[0])}` : ""}
      />
    );
  const phase = phases[now.phase];
  const next = phases[now.phase + 1];
  const goal = stopAt(shot);
  const last = goal === null ? "the end" : `stop at ${grams(goal, 1)}`;
  const early = nextCue && !next && goal !== null; // the last drips still come
  const nextUntil = early
    ? `at ${grams(goal, 1)}, ${grams(shot.profile.stop.cup_g ?? goal)} with the drips`
    : nextCue?.until;
  const state = now.taken ? "by hand" : now.held ? "held" : undefined;
  return (
    <Bar
      large={cue?.say ?? phase?.name ?? ""}
      small={cue ? cue.until : phase ? `${commandWords(phase)}, ${exitsWords(phase)}` : ""}
      state={state}
      gates={
        state
          ? [now.taken ? "waits until you return control" : "waits until you resume"]
          : stopsFirst
            ? [
                `about ${Math.ceil(stop.left_s)} s to the stop at ${stop.words}`,
                ...gates.filter((one) => one.when !== "seconds").map((one) => gateWords(one, now)),
              ]
            : gates.map((one) => gateWords(one, now)).concat(dialWords(shot, now, onDialNow))
      }
      calls={cue && cue.calls.length > 0 && <Calls cue={cue} now={now} shot={shot} />}
      then={nextCue?.say ?? next?.name ?? last}
      thenSmall={nextUntil ?? (next ? `${commandWords(next)}, ${exitsWords(next)}` : "")}
      met={met}
    />
  );
}

function Bar(props: {
  large: string;
  small: string;
  state?: string | undefined;
  gates?: string[];
  then?: string;
  thenSmall?: string;
  met?: boolean;
  calls?: ReactNode;
}) {
  const { large, small, state, gates = [], then, thenSmall, met } = props;
  return (
    <div
      className="group grid grid-cols-[minmax(0,1fr)_auto] gap-y-1 gap-x-5 items-start mb-2 data-running:min-h-19 [&_p]:min-w-0 [&_strong]:tracking-[-0.015em] [&_span::first-letter]:uppercase max-phone:grid-cols-[minmax(0,1fr)]"
      data-part="cue"
      data-running={then ? "" : undefined}
      data-met={met || undefined}
    >
      <p
        role="status"
        className="flex flex-wrap items-baseline gap-y-0.5 gap-x-3 [&_em]:py-px [&_em]:px-2 [&_em]:border [&_em]:border-warn [&_em]:rounded-[3px] [&_em]:text-warn [&_em]:not-italic [&_em]:font-semibold [&_strong]:text-[32px] [&_strong]:leading-9 [&_span]:text-figure [&_span]:leading-6 max-phone:[&_strong]:text-[26px] max-phone:[&_strong]:leading-7.5 max-phone:[&_span]:text-[14px] max-phone:[&_span]:leading-4.5"
        data-part="cue-now"
      >
        <strong>{large}</strong>
        {state && <em>{state}</em>}
        <span>{small}</span>
      </p>
      {gates.length > 0 && (
        <p className="flex flex-wrap gap-y-0.5 gap-x-4.5 col-start-1 text-[20px] leading-6.5 tabular-nums max-phone:text-figure max-phone:leading-5.5">
          {gates.map((words) => (
            <b key={words}>{words}</b>
          ))}
        </p>
      )}
      {props.calls}
      {then && (
        <p
          className="col-start-2 row-[1/span_2] flex flex-col w-62.5 pl-3.5 border-l-3 border-l-rule [&_strong]:text-[20px] [&_strong]:leading-6.5 [&_span]:text-body [&_span]:leading-4.5 [&_span]:text-quiet group-data-met:border-l-action group-data-met:[&_strong]:text-action group-data-met:[&_strong]:text-[26px] max-phone:col-start-1 max-phone:row-auto max-phone:w-auto"
          data-part="cue-then"
        >
          <span>{met ? "now" : "then"}</span>
          <strong>{then}</strong>
          <span>{thenSmall}</span>
        </p>
      )}
    </div>
  );
}

const WARNS_S = 3;

/** A tone in each of the last seconds before what comes next, and one when it comes. */
function useTones(left_s: number, now: Now, running: boolean) {
  const phase = useRef(now.phase);
  const warned = useRef<number>(undefined);
  const stopped = now.stopped !== undefined;
  const over = useRef(stopped);
  useEffect(() => {
    if (!running) return;
    if (phase.current !== now.phase || over.current !== stopped) {
      phase.current = now.phase;
      over.current = stopped;
      warned.current = undefined;
      sound("now");
      return;
    }
    const left = Math.ceil(left_s);
    // An estimate may waver: each second is told once, and never counted up again.
    if (stopped || left > WARNS_S || left < 1 || left >= (warned.current ?? WARNS_S + 1)) return;
    warned.current = left;
    sound("soon");
  });
}

/** What a hand must still do on a machine that the stop does not switch off; undefined if nothing. */
export function stillArmed(shot: Shot, now: Pick<Now, "pressure_bar">): string | undefined {
  if (!shot.manual) return undefined;
  if (now.pressure_bar !== null && now.pressure_bar < SAFE_BAR) return undefined; // it is seen
  const controls = shot.profile.phases.map((phase) => phase.command.control);
  if (controls.includes("force") || controls.includes("spring")) return "Lever down, pump off";
  return controls.includes("valve") ? "Valve shut, pump off" : "Pump off";
}

const SAFE_BAR = 0.5;

/** Whole bars, or quarter turns, as a moving phase passes them; how far a hand is ahead or behind. */
function Calls({ cue, now, shot }: { cue: Cue; now: Now; shot: Shot }) {
  const on = useDialReading((state) => state.on) && shot.dial !== null;
  const begun_s = now.time_s - now.inPhase_s;
  const calls = on
    ? cue.calls.map((one) => ({
        ...one,
        level: Number((one.level + dialMore(shot.prediction, begun_s + one.at_s)).toFixed(1)),
      }))
    : cue.calls;
  const next = calls.findIndex((one) => one.at_s > now.inPhase_s);
  const shown = calls.slice(Math.max(0, next - 1), Math.max(0, next - 1) + 4);
  const own = shot.profile.phases[cue.phase]?.command.control;
  const level = own === "valve" ? now.level : dialOf(shot, now, on);
  const apart = level === null ? undefined : behind(calls, level, now.inPhase_s);
  return (
    <p
      className="col-start-1 flex flex-wrap items-baseline gap-x-3 text-figure tabular-nums"
      data-part="calls"
    >
      {shown.map((one) => {
        const left = one.at_s - now.inPhase_s;
        return (
          <span key={one.at_s} className={left > 0 ? "" : "text-quiet"}>
            <b>
              {one.level} {one.unit}
            </b>{" "}
            {left > 0 ? `in ${left.toFixed(0)} s` : "now"}
          </span>
        );
      })}
      {apart !== undefined && Math.abs(apart) >= 0.5 && (
        <span className="text-warn" data-part="apart">
          {Math.abs(apart).toFixed(1)} s {apart > 0 ? "behind" : "ahead"}
        </span>
      )}
    </p>
  );
}

/** What the needle shows now, beside gates that are told at the puck. */
function dialWords(shot: Shot, now: Now, on: boolean) {
  const bar = dialOf(shot, now, on);
  return on && shot.dial && bar !== null ? [`dial ${bar.toFixed(1)} bar`] : [];
}

/** The pressure now, as the dial reads it where that is wanted. */
function dialOf(shot: Shot, now: Now, on: boolean) {
  if (!on || !shot.dial || now.pressure_bar === null) return now.pressure_bar;
  return onDial(shot.dial, now.pressure_bar, now.water_ml_s);
}

/** By how many seconds a level lags what is called; undefined outside the calls. */
function behind(calls: Cue["calls"], level: number, at_s: number) {
  const [first, last] = [calls[0], calls.at(-1)];
  if (!first || !last || at_s < first.at_s || at_s > last.at_s + 2) return undefined;
  const falls = last.level < first.level;
  const due = calls.findIndex((one) => (falls ? one.level <= level : one.level >= level));
  const [after, before] = [calls[due], calls[due - 1]];
  if (!after || !before) return undefined;
  const share = (level - before.level) / (after.level - before.level);
  return at_s - (before.at_s + share * (after.at_s - before.at_s));
}

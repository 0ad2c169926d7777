import { useEffect, useRef } from "react";
import type { Shot } from "../../api/client";
import { loosened } from "../../profile/loose";
import { commandWords, endedWords, exitsWords } from "../../profile/words";
import { gateMet, gateWords, type Now, stopAt } from "./now";
import { sound } from "./tones";

type Gates = Shot["profile"]["phases"][number]["exits"];

/** What happens now, what will end it, and what comes then: large enough to read from the machine. */
export function CueBar({ shot, now, running }: { shot: Shot; now: Now; running: boolean }) {
  const phases = loosened(shot.profile).phases;
  const sheet = shot.cues;
  const cue = sheet.find((one) => one.phase === now.phase);
  const gates = (cue ? cue.gates : shot.profile.phases[now.phase]?.exits) ?? [];
  const nextCue = sheet.find((one) => one.phase === now.phase + 1);
  const met = running && !now.stopped && sheet.length > 0 && gates.some((one) => gateMet(one, now));
  useTones(gates, now, running);
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
    return (
      <Bar
        large="Stopped"
        small={`${reason}. The last drips are falling; wait until the gauge reads zero.`}
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
  const last = goal === null ? "the end" : `stop at ${goal.toFixed(1)} g`;
  const early = nextCue && !next && goal !== null; // the last drips still come
  const nextUntil = early
    ? `at ${goal.toFixed(1)} g, ${shot.profile.stop.cup_g} g with the drips`
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
          : gates.map((one) => gateWords(one, now))
      }
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

/** A tone in each of the last seconds before the clock ends a phase, and one when it changes. */
function useTones(gates: Gates, now: Now, running: boolean) {
  const phase = useRef(now.phase);
  const warned = useRef<number>(undefined);
  useEffect(() => {
    if (!running) return;
    if (phase.current !== now.phase) {
      phase.current = now.phase;
      warned.current = undefined;
      sound("now");
      return;
    }
    const clock = gates.find((one) => one.when === "seconds");
    const left = clock && "value" in clock ? Math.ceil(clock.value - now.inPhase_s) : undefined;
    if (left === undefined || left > WARNS_S || left < 1 || warned.current === left) return;
    warned.current = left;
    sound("soon");
  });
}

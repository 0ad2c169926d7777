import { useMutation, useQuery } from "@tanstack/react-query";
import { memo, useState } from "react";
import { answered, client, type FixEffect, type Misfit } from "../../api/client";
import { benchQuery, checkQuery, fixesQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { useChangeBench } from "../../api/useChangeBench";
import { useSetup } from "../../api/useSetup";
import { useOverlay } from "../../bench/overlay";
import { differenceWords } from "../../profile/differences";
import { asProfile, type LooseProfile, loosened } from "../../profile/loose";
import { type ForecastNow, useResting } from "../../profile/useForecast";
import type { Planned } from "../../profile/usePlanned";
import { phaseName } from "../../profile/words";
import { Button } from "../../ui/Button";
import { FieldError } from "../../ui/NumberField";

/**
 * What of the draft the bench's machine cannot take; undefined while that is not known. The forecast
 * says it; of a draft that was refused it is asked.
 */
export function useCheck(profile: LooseProfile, now: ForecastNow) {
  const setup = useSetup();
  const name = useQuery(benchQuery()).data?.machine.name;
  const rested = useResting(profile);
  const check = useQuery({
    ...checkQuery(setup, rested),
    enabled: Boolean(setup) && now.refused,
  });
  if (now.refused) return check.error ? undefined : check.data;
  const misfits = now.answered?.forecast.misfits;
  const runs_in = now.answered?.forecast.runs_in ?? [];
  return name && misfits ? { machine_name: name, misfits, runs_in } : undefined;
}

type Check = NonNullable<ReturnType<typeof useCheck>>;

/** Whether the draft fits the bench's machine, and each misfit's fix one click away. */
export const FitsMachine = memo(function FitsMachine(props: { planned: Planned; check: Check }) {
  const { planned, check } = props;
  const { profile, edit } = planned;
  const open = useOverlay((state) => state.open);
  const setup = useSetup();
  const misfits = check.misfits;
  const set = useChangeBench();
  const effects = useQuery({
    ...fixesQuery(setup, profile),
    enabled: Boolean(setup) && misfits.length > 0,
  });
  const fix = useMutation({
    mutationFn: (field: string | null) =>
      answered(client.POST("/api/bench/fix", { body: { profile: asProfile(profile), field } })),
    onSuccess: (fixed) => edit("", loosened(fixed.profile)),
  });
  const effect = (field: string) => effects.data?.find((one) => one.field === field);
  return (
    <section className="pt-3" aria-label="Fits this machine">
      <h2>
        {misfits.length ? `Does not fit ${check.machine_name}` : `Fits ${check.machine_name}`}
      </h2>
      {check.runs_in.length > 0 && (
        <p className="mt-1 flex flex-wrap items-center gap-2" data-part="modes">
          It runs in another mode:
          {check.runs_in.map((mode) => (
            <Button
              key={mode}
              disabled={set.isPending}
              onClick={() => set.mutate({ machine_mode: mode })}
            >
              Set to {mode}
            </Button>
          ))}
        </p>
      )}
      {set.error && <FieldError>{failureWords(set.error) ?? ""}</FieldError>}
      {misfits.length > 1 && (
        <FixButton
          words={`Fix all ${misfits.length}`}
          effect={effect("")}
          busy={fix.isPending}
          fix={() => fix.mutate(null)}
        />
      )}
      <Misfits
        misfits={misfits}
        profile={profile}
        effect={effect}
        busy={fix.isPending}
        fix={(field) => fix.mutate(field)}
      />
      {fix.error && <FieldError>{failureWords(fix.error) ?? ""}</FieldError>}
      <button
        type="button"
        className="mt-1 text-action underline underline-offset-2"
        onClick={() => open("translate")}
      >
        {misfits.length
          ? "Or translate it as closely as possible"
          : "Translate for another machine"}
      </button>
    </section>
  );
});

const SHOWN = 3;

function Misfits(props: {
  misfits: Misfit[];
  profile: LooseProfile;
  effect: (field: string) => FixEffect | undefined;
  busy: boolean;
  fix: (field: string) => void;
}) {
  const { misfits, profile, effect, busy, fix } = props;
  const [all, setAll] = useState(false);
  const shown = all ? misfits : misfits.slice(0, SHOWN);
  return (
    <ul>
      {shown.map((one) => (
        <li
          key={one.field}
          className="mt-1.5 border-t border-rule pt-1.5 first:border-0 first:pt-0"
        >
          <p>
            <b>{phaseName(one.field, profile)}</b>: {one.got}; takes {one.takes}.
          </p>
          <FixButton
            words="Fix"
            title={one.fix}
            effect={effect(one.field)}
            busy={busy}
            fix={() => fix(one.field)}
          />
        </li>
      ))}
      {misfits.length > shown.length && (
        <li>
          <button
            type="button"
            className="mt-1 text-action underline underline-offset-2"
            onClick={() => setAll(true)}
          >
            {misfits.length - shown.length} more
          </button>
        </li>
      )}
    </ul>
  );
}

function FixButton(props: {
  words: string;
  title?: string;
  effect: FixEffect | undefined;
  busy: boolean;
  fix: () => void;
}) {
  return (
    <div className="mt-0.5 flex flex-wrap items-center gap-x-2 gap-y-0.5">
      <Button className="min-h-6! py-0! text-action" disabled={props.busy} onClick={props.fix}>
        {props.words}
      </Button>
      <span className="min-w-0 flex-1 text-[13px] text-quiet">
        {[props.title, props.effect && differenceWords(props.effect.difference)]
          .filter(Boolean)
          .join(": ")}
      </span>
    </div>
  );
}

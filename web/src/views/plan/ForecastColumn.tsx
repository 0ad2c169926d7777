import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { TriangleAlert } from "lucide-react";
import { memo } from "react";
import { Link } from "react-router";
import type { Bench, Forecast, RefusedField } from "../../api/client";
import { benchQuery, forecastRecordQuery, formQuery, historyQuery } from "../../api/queries";
import { refusalWords } from "../../api/refusals";
import { CLOCKS, useClock } from "../../profile/clock";
import type { LooseProfile } from "../../profile/loose";
import { type ForecastNow, phaseOf } from "../../profile/useForecast";
import type { Planned } from "../../profile/usePlanned";
import { InMilk } from "../../shots/InMilk";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Key } from "../../ui/Key";
import { styles } from "../../ui/styles";
import { grams } from "../../ui/units";
import { BeginWith } from "./BeginWith";
import { FigureRow, rowsOf } from "./FigureRow";
import { FitsMachine, useCheck } from "./FitsMachine";
import type { NextStep } from "./useNextStep";

interface Props {
  now: ForecastNow;
  planned: Planned;
  select: (index: number) => void;
  next: NextStep;
}

/** What the profile should do on the bench, the active limits, what is refused, and the next step. */
export const ForecastColumn = memo(function ForecastColumn({ now, planned, select, next }: Props) {
  const bench = useQuery(benchQuery());
  const history = useQuery(historyQuery(planned.id));
  const members = useQuery(formQuery()).data?.members ?? 0;
  const check = useCheck(planned.profile, now);
  const misfits = new Set(check?.misfits.map((one) => `profile.${one.field}`));
  const problems = now.problems.filter((one) => !misfits.has(one.field));
  const clock = useClock((state) => state.clock);
  const forecast = now.answered?.forecast;
  return (
    <aside className={styles.forecastColumn} aria-label="Forecast" aria-busy={now.stale}>
      <div className="flex min-h-7 items-center justify-between">
        <h2>Forecast</h2>
        {now.refused && forecast ? (
          <span className="text-quiet" role="status">
            before this change
          </span>
        ) : (
          <ClockChoice />
        )}
      </div>
      {forecast && members > 1 && (
        // Said before the ranges are there too: the figures below stay where they are.
        <p className="text-[13px] text-quiet">
          {members} simulated shots; 8 in 10 fall within the bars
          {forecast.prediction.ranges === "new" && ", wide until this coffee is dialled in"}
          {forecast.prediction.ranges === "learnt" && bench.data && !bench.data.puck && (
            <Learnt shots={forecast.prediction.learnt_shots} bench={bench.data} />
          )}
        </p>
      )}
      {bench.data && <BeginWith bench={bench.data} profile={planned.profile} />}
      {problems.length > 0 && (
        <Refusals problems={problems} profile={planned.profile} select={select} />
      )}
      {check && check.misfits.length > 0 && <FitsMachine planned={planned} check={check} />}
      {now.error instanceof Error && problems.length === 0 && (
        <p role="alert" className="mt-1 text-warn">
          {now.error.message}
        </p>
      )}
      {forecast && (
        <div className={now.refused ? "opacity-55" : ""}>
          <ul>
            {rowsOf(forecast, bench.data, clock).map((row) => (
              <FigureRow key={row.name} {...row} bench={bench.data}>
                {row.name === "Yield" && <StopOffer forecast={forecast} planned={planned} />}
                {row.name === "Extraction (EY)" && <AcrossThePuck forecast={forecast} />}
                {row.name === "Extraction (EY)" && <StrengthOffer offer={now.strengthOffer} />}
              </FigureRow>
            ))}
          </ul>
          {history.data?.newest.purpose === "milk" && (
            <InMilk
              tds_pct={forecast.prediction.tds_pct.value}
              yield_g={forecast.prediction.yield_g.value}
              from="predicted"
            />
          )}
          <Cautions forecast={forecast} />
          <Binds forecast={forecast} />
          {check?.misfits.length === 0 && <FitsMachine planned={planned} check={check} />}
          <Assumed forecast={forecast} />
        </div>
      )}
      <div className={styles.columnFoot}>
        <Button
          kind="main"
          className="w-full"
          disabled={next.saving || now.problems.length > 0}
          onClick={next.run}
        >
          {next.words} <Key>P</Key>
        </Button>
      </div>
    </aside>
  );
});

/** How many forecasts to look back on. */
const LAST = 6;

/** From how many shots the forecast has learnt, and how the last ones fared. */
function Learnt({ shots, bench }: { shots: number; bench: Bench }) {
  const words = [bench.coffee?.id, bench.grinder?.id, bench.machine.id];
  const record = useQuery(forecastRecordQuery(words, LAST)).data;
  const of = record?.lines.length ?? 0;
  const others = bench.learnt_others;
  if (shots === 0)
    return <>, as {others === 1 ? "another coffee" : `${others} others`} of this house taught.</>;
  return (
    <>
      .{" "}
      <Link className="underline underline-offset-2" to="/shelf/learnt">
        Learnt from {shots === 1 ? "1 shot" : `${shots} shots`} of this coffee
      </Link>
      {record && of > 1 && `; ${record.within} of the last ${of} fell within the range`}.
    </>
  );
}

/** What one measured strength would bring to the extraction's range. */
function StrengthOffer({ offer }: { offer: Forecast["strength_offer"] }) {
  if (!offer) return null;
  return (
    <span className="col-span-3 text-[13px] leading-4 text-quiet" data-part="strength">
      ±{offer.now_points.toFixed(1)}, or ±{offer.then_points.toFixed(1)} with one TDS measured
    </span>
  );
}

function Refusals(props: {
  problems: RefusedField[];
  profile: LooseProfile;
  select: (index: number) => void;
}) {
  const { problems, profile, select } = props;
  return (
    <section className="mt-2 rounded-sm border border-stop p-2" aria-label="Refused">
      <h3 className="flex items-center gap-1.5">
        <TriangleAlert size={15} className="text-stop" aria-hidden="true" /> This cannot run yet
      </h3>
      <ul>
        {distinct(problems).map((problem) => {
          const index = phaseOf(problem);
          const phase = index === undefined ? undefined : profile.phases[index];
          return (
            <li key={problem.field} className="mt-1">
              <button
                type="button"
                className="text-left hover:underline"
                onClick={() => select(index ?? profile.phases.length)}
              >
                <b>{phase ? phase.name || `Phase ${(index ?? 0) + 1}` : "Profile"}</b>:{" "}
                {refusalWords(problem)}
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}

/** A held level is refused as both its ends: said once. */
function distinct(problems: RefusedField[]) {
  const said = (one: RefusedField) => `${phaseOf(one)} ${one.got} ${one.accepted}`;
  return problems.filter(
    (one, i) => problems.findIndex((other) => said(other) === said(one)) === i,
  );
}

/** When the drips would not land on the goal: the weight to stop at instead, in one click. */
function StopOffer({ forecast, planned }: { forecast: Forecast; planned: Planned }) {
  const offer = forecast.stop_offer;
  if (!offer) return null;
  const { profile, edit } = planned;
  return (
    <span className="col-span-3 flex items-center justify-between gap-2">
      <span className="text-warn">
        {grams(Math.abs(offer.over_g), 1)} {offer.over_g > 0 ? "over" : "under"}
      </span>
      <Button
        className="min-h-6! py-0! text-action"
        onClick={() => edit("", { ...profile, stop: { ...profile.stop, cup_g: offer.stop_at_g } })}
      >
        Stop at {grams(offer.stop_at_g, 1)}
      </Button>
    </span>
  );
}

const WORTH_A_WORD = 0.03;

/** How far the puck's fast and slow parts differ in what they give, where that is worth a word. */
function AcrossThePuck({ forecast }: { forecast: Forecast }) {
  const { value } = forecast.prediction.unevenness;
  if (value === null || value < WORTH_A_WORD) return null;
  return (
    <span className="col-span-3 text-[13px] leading-4 text-quiet" data-part="across">
      ±{(100 * value).toFixed(0)} % across the puck
    </span>
  );
}

function Binds({ forecast }: { forecast: Forecast }) {
  const { binding } = forecast.prediction;
  return (
    <section className="pt-3">
      <h2>Active limits</h2>
      {binding.length === 0 ? (
        <p className="mt-0.5 text-quiet">None: the machine does what is commanded.</p>
      ) : (
        binding.map((one) => (
          <p key={`${one.what}${one.from}`} className="mt-0.5">
            {one.from.toFixed(1)} to {one.to.toFixed(1)} s: {one.words}
            {one.share != null &&
              Math.round(one.share * 10) < 10 &&
              `, in ${Math.round(one.share * 10)} of 10 simulated shots`}
            .
          </p>
        ))
      )}
    </section>
  );
}

function Assumed({ forecast }: { forecast: Forecast }) {
  if (forecast.assumed.length === 0) return null;
  return (
    <section className="pt-3">
      <h2>Assumptions</h2>
      {forecast.assumed.map((words) => (
        <p key={words} className="mt-0.5 first-letter:uppercase">
          {words}.
        </p>
      ))}
    </section>
  );
}

/** What can hurt or break with this plan on this machine: the first in view, the rest unfolded. */
function Cautions({ forecast }: { forecast: Forecast }) {
  const [first, ...others] = forecast.cautions;
  if (!first) return null;
  return (
    <section className="pt-3" aria-label="Take care">
      <h2>Take care</h2>
      <p className="mt-0.5">{first}</p>
      {others.length > 0 && (
        <Disclosure>
          <DisclosureButton className="mt-1 text-action underline underline-offset-2">
            {others.length === 1 ? "One more caution" : `${others.length} more cautions`}
          </DisclosureButton>
          <DisclosurePanel>
            {others.map((words) => (
              <p key={words} className="mt-1">
                {words}
              </p>
            ))}
          </DisclosurePanel>
        </Disclosure>
      )}
    </section>
  );
}

const ClockChoice = memo(function ClockChoice() {
  const { clock, setClock } = useClock();
  return (
    <span className="flex items-center gap-1.5 text-quiet">
      clock from
      <Choice label="Clock" value={clock} options={CLOCKS} onChange={setClock} />
    </span>
  );
});

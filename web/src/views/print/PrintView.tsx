import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { Navigate, useParams } from "react-router";
import type { Bench, Forecast, Profile } from "../../api/client";
import { benchQuery, versionQuery } from "../../api/queries";
import { PUMP_ON } from "../../charts/frame";
import { ForecastChart, forecastExtent } from "../../profile/ForecastChart";
import { loosened } from "../../profile/loose";
import { PhaseList } from "../../profile/PhaseList";
import { useForecast } from "../../profile/useForecast";
import { stopWords } from "../../profile/words";
import { Button, ButtonLink } from "../../ui/Button";
import { plain } from "../../ui/format";
import { ErrorNote, Loading, PageError } from "../../ui/Messages";
import { grams, temperature } from "../../ui/units";
import { VersionTitle } from "../../ui/VersionTitle";

/** A saved version on one sheet of paper: the recipe, the curves, the phases, what to take care of. */
export function PrintView() {
  const { profileId, number } = useParams();
  const [id, version] = [Number(profileId), Number(number)];
  if (!Number.isInteger(id) || !Number.isInteger(version)) return <Navigate to="/plan" replace />;
  return <Sheet id={id} number={version} />;
}

function Sheet({ id, number }: { id: number; number: number }) {
  const version = useQuery(versionQuery(id, number));
  const bench = useQuery(benchQuery());
  const profile = useMemo(() => version.data && loosened(version.data.profile), [version.data]);
  const now = useForecast(profile);
  const forecast = now.answered?.forecast;
  const extent = useMemo(() => forecastExtent(forecast?.prediction), [forecast]);
  if (version.isError) return <PageError error={version.error} retry={() => version.refetch()} />;
  if (!version.data || !profile || !bench.data) return <Loading what="the profile" />;
  return (
    <main className="w-full max-w-[860px] my-0 mx-auto py-4 px-5">
      <p className="print:hidden flex gap-2 pb-3">
        <Button kind="main" className="px-4!" onClick={() => window.print()}>
          Print
        </Button>
        <ButtonLink to={`/plan/${id}`}>Back to Plan</ButtonLink>
      </p>
      <VersionTitle name={profile.name} number={number} state={version.data.label ?? ""} />
      {profile.note && <p className="text-quiet">{profile.note}</p>}
      {now.problems.length > 0 && (
        <ErrorNote error={new Error(now.problems.map((one) => one.message).join("\n"))} />
      )}
      <Recipe bench={bench.data} forecast={forecast} profile={version.data.profile} />
      <div className="flex h-[420px] mt-2.5 bg-sheet border border-rule rounded-sm">
        <ForecastChart axis={PUMP_ON} extent={extent} answered={now.answered} />
      </div>
      <PhaseList profile={version.data.profile} />
      <section aria-label="Take care">
        <h2>Take care</h2>
        {(forecast?.cautions ?? []).map((words) => (
          <p key={words} className="mt-1">
            {words}
          </p>
        ))}
      </section>
    </main>
  );
}

function Recipe(props: { bench: Bench; forecast: Forecast | undefined; profile: Profile }) {
  const { bench, forecast, profile } = props;
  const stop = stopWords(loosened(profile).stop);
  const meant = profile.water_c;
  const time = forecast?.prediction.shot_time_s;
  const setting = bench.grind_setting === null ? "" : ` ${plain(bench.grind_setting)}`;
  const parts = [
    bench.coffee?.name,
    `${grams(bench.dose_g, 1)}${bench.basket ? ` in ${bench.basket.name}` : ""}`,
    bench.grinder && `ground at${setting} on ${bench.grinder.name}`,
    bench.preparation && `prepared as ${bench.preparation.name}: ${bench.preparation.steps}`,
    `${bench.machine.name} at ${temperature(meant ?? bench.water_c)}`,
    meant != null && meant !== bench.water_c && `the bench is set to ${temperature(bench.water_c)}`,
    `stop at ${stop.first} ${stop.others}`,
    time?.value != null &&
      `about ${time.value.toFixed(0)} s (${time.p10?.toFixed(0)} to ${time.p90?.toFixed(0)})`,
  ];
  return <p className="mt-2">{parts.filter(Boolean).join("; ")}.</p>;
}

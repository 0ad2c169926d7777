import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, Navigate, useNavigate, useParams } from "react-router";
import type { Shot, ShotLine } from "../../api/client";
import { offTargetQuery, shotPagesQuery, shotQuery } from "../../api/queries";
import { useActions } from "../../bench/actions";
import { useTimeFigure } from "../../profile/ClockChoice";
import { Figures, recipeWords } from "../../shots/Figures";
import { InMilk } from "../../shots/InMilk";
import { SmallCurve } from "../../shots/SmallCurve";
import { Readings, Strength } from "../../shots/Strength";
import { Button, ButtonLink } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { moment } from "../../ui/format";
import { Key } from "../../ui/Key";
import { Empty, ErrorNote, Loading, PageError } from "../../ui/Messages";
import { PURPOSES, type Purpose, purposeWords } from "../../ui/purposes";
import { styles } from "../../ui/styles";
import { grams } from "../../ui/units";
import { VersionTitle } from "../../ui/VersionTitle";
import { Observed } from "./Observed";
import { TastingForm } from "./TastingForm";

/** Taste: score a shot, and go on to compare it. */
export function TasteView() {
  const { shotId } = useParams();
  const pages = useInfiniteQuery(shotPagesQuery());
  const shots = { ...pages, data: pages.data?.pages.flat() };
  if (shots.isError && !shots.data) {
    return <PageError error={shots.error} retry={() => shots.refetch()} />;
  }
  if (!shots.data) return <Loading what="the shots" />;
  const newest = shots.data.find((shot) => shot.state !== "running");
  if (shotId === undefined) {
    return newest ? <Navigate to={`/taste/${newest.id}`} replace /> : <NoShots />;
  }
  const id = Number(shotId);
  return Number.isInteger(id) ? (
    <Chosen
      id={id}
      shots={shots.data}
      earlier={pages.hasNextPage ? () => pages.fetchNextPage() : undefined}
    />
  ) : (
    <Navigate to="/taste" replace />
  );
}

function NoShots() {
  return (
    <Empty title="No shot to taste yet">
      <p>Pull a shot first; it is stored with its curves, and this is where you say how it was.</p>
      <ButtonLink kind="main" to="/pull">
        Go to Pull
      </ButtonLink>
    </Empty>
  );
}

function Chosen(props: {
  id: number;
  shots: ShotLine[];
  /** Reads earlier ones; undefined where there are none. */
  earlier: (() => void) | undefined;
}) {
  const { id, shots, earlier } = props;
  const shot = useQuery(shotQuery(id));
  const [purpose, setPurpose] = useState<Purpose | "">("");
  const tagged = shots.some((one) => one.purpose !== null);
  const listed = shots.filter((one) => purpose === "" || one.purpose === purpose);
  return (
    <div className="grid flex-1 grid-cols-[236px_minmax(0,_1fr)_300px] min-h-0 max-narrow:block">
      <nav
        className="py-2.5 px-2 border-r border-r-rule overflow-y-auto [&_a]:block [&_a]:py-1.5 [&_a]:px-2.5 [&_a]:rounded-sm [&_a:hover]:bg-tint [&_a[aria-current]]:bg-tint [&_a[aria-current]]:shadow-[inset_3px_0_var(--action)] max-narrow:flex max-narrow:gap-1 max-narrow:border-r-0 max-narrow:border-b max-narrow:border-b-rule max-narrow:overflow-x-auto max-narrow:[&_a]:flex-none max-narrow:[&_a]:w-55"
        aria-label="Shots"
      >
        {tagged && (
          <span className="flex items-center gap-1.5 px-2 pb-1.5">
            for <Choice label="Purpose" value={purpose} options={PURPOSES} onChange={setPurpose} />
          </span>
        )}
        {listed.map((one) => (
          <ShotLink key={one.id} shot={one} current={one.id === id} />
        ))}
        {earlier && (
          <Button className="m-2.5 flex-none" onClick={earlier}>
            Earlier shots
          </Button>
        )}
      </nav>
      {shot.data ? (
        <Whole key={id} shot={shot.data} shots={shots} />
      ) : shot.isError ? (
        <PageError error={shot.error} retry={() => shot.refetch()} />
      ) : (
        <Loading what="the shot" />
      )}
    </div>
  );
}

function ShotLink({ shot, current }: { shot: ShotLine; current: boolean }) {
  const liking = shot.tastings.map((one) => one.liking).find((score) => score != null);
  const seconds = shot[useTimeFigure()];
  const time = seconds === null ? shot.state : `${seconds.toFixed(1)} s`;
  const drink = shot.yield_g === null ? "" : `, ${grams(shot.yield_g, 1)}`;
  return (
    <Link to={`/taste/${shot.id}`} aria-current={current ? "page" : undefined}>
      <span className="flex items-baseline justify-between gap-2">
        <span className="truncate font-medium">
          {shot.profile_name} <span className="font-mono text-quiet">v{shot.number}</span>
        </span>
        <span className="shrink-0 tabular-nums" title="liking">
          {liking == null ? "" : `${liking} / 10`}
        </span>
      </span>
      <span className="flex justify-between gap-2 text-[13px] text-quiet">
        <span className="tabular-nums">
          {time}
          {drink}
          {shot.purpose !== null && `, ${purposeWords(shot.purpose)}`}
          {shot.set_aside !== null && ", set aside"}
        </span>
        <span>{moment(shot.started_at)}</span>
      </span>
    </Link>
  );
}

/** Where this shot is noticeably off its coffee's target. */
function OffTarget({ shot }: { shot: Shot }) {
  const off = useQuery(offTargetQuery(shot.id, JSON.stringify(shot.tastings)));
  if (!off.data || off.data.said.length === 0) return null;
  return (
    <section className="pt-3" aria-label="Off target">
      <h2>Off target</h2>
      <ul>
        {off.data.said.map((words) => (
          <li key={words}>{words}</li>
        ))}
      </ul>
    </section>
  );
}

function Whole({ shot, shots }: { shot: Shot; shots: ShotLine[] }) {
  const navigate = useNavigate();
  const others = shots.filter((one) => one.id !== shot.id && one.state === "done");
  const before = others.find((one) => one.id < shot.id) ?? others[0];
  // The earlier one stands first, so that what changed reads forward in time.
  const compare = (other: number) =>
    navigate(`/taste/${Math.min(other, shot.id)}/with/${Math.max(other, shot.id)}`);
  useActions("taste", [
    {
      id: "compare",
      words: "Compare with the shot before",
      key: "c",
      group: "Here",
      disabled: !before,
      run: () => before && compare(before.id),
    },
    {
      id: "what-to-change",
      words: "What to change next",
      group: "Here",
      run: () => navigate(`/next/${shot.id}`),
    },
  ]);
  const inMilk = shot.purpose === "milk" || shot.tastings.some((one) => one.served === "milk");
  if (shot.state === "running") return <Navigate to={`/pull/shot/${shot.id}`} replace />;
  return (
    <>
      <main className="min-w-0 pt-2.5 pb-4 px-5 overflow-y-auto max-narrow:overflow-visible max-phone:pt-2.5 max-phone:pb-4 max-phone:px-3">
        <div className="flex flex-wrap items-center justify-between gap-2">
          <VersionTitle
            name={shot.profile_name}
            number={shot.number}
            state={`shot ${shot.id}, ${moment(shot.started_at)}`}
          />
          <ButtonLink to={`/taste/together?shots=${before ? `${before.id},` : ""}${shot.id}`}>
            Taste together, blind
          </ButtonLink>
        </div>
        <p className="mt-1 text-quiet">{recipeWords(shot)}</p>
        {shot.trouble && (
          <div className="mt-2">
            <ErrorNote error={new Error(shot.trouble)} />
          </div>
        )}
        <TastingForm shot={shot} />
      </main>
      <aside className={styles.forecastColumn} aria-label="Result">
        <div className="flex items-start justify-between gap-2">
          <h2>Result</h2>
          <SmallCurve traces={shot.traces} stop_s={shot.shot_time_s ?? null} />
        </div>
        <Figures shot={shot} />
        <Strength shot={shot} />
        <Readings shot={shot} />
        {inMilk && (
          <InMilk
            tds_pct={shot.tds_pct ?? shot.prediction.tds_pct.value}
            yield_g={shot.yield_g ?? shot.prediction.yield_g.value}
            from={shot.tds_pct === null ? "predicted" : "measured"}
          />
        )}
        <OffTarget shot={shot} />
        <Observed shot={shot} />
        <ButtonLink className="mt-auto w-full" to={`/next/${shot.id}`}>
          What to change next
        </ButtonLink>
        {before && (
          <div className="grid gap-2 pt-2">
            <Choice
              label="Compare with"
              value={0}
              options={[
                { value: 0, words: "Compare with another" },
                ...others.map((one) => ({
                  value: one.id,
                  words: `${one.profile_name} v${one.number}, ${moment(one.started_at)}`,
                })),
              ]}
              onChange={(id) => id && compare(id)}
              className="w-full"
            />
            <ButtonLink className="w-full" to={`/taste/several?shots=${before.id},${shot.id}`}>
              Compare several
            </ButtonLink>
            <Button kind="main" className="w-full" onClick={() => compare(before.id)}>
              <span className="truncate">
                Compare with {before.profile_name} v{before.number}
              </span>
              <Key>C</Key>
            </Button>
          </div>
        )}
      </aside>
    </>
  );
}

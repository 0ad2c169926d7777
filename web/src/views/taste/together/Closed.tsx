import { useQuery } from "@tanstack/react-query";
import { TriangleAlert } from "lucide-react";
import { useState } from "react";
import { useNavigate } from "react-router";
import type { SessionResults, TastingSession } from "../../../api/client";
import { shotQuery, tastingResultsQuery } from "../../../api/queries";
import { useActions } from "../../../bench/actions";
import { SmallCurve } from "../../../shots/SmallCurve";
import { ButtonLink } from "../../../ui/Button";
import { Choice } from "../../../ui/Choice";
import { DataTable } from "../../../ui/DataTable";
import { fixed, listed, moment } from "../../../ui/format";
import { Key } from "../../../ui/Key";
import { Loading, PageError } from "../../../ui/Messages";
import { OddsBar } from "../../../ui/OddsBar";
import { Segments } from "../../../ui/Segments";
import { cn, styles } from "../../../ui/styles";
import { grams } from "../../../ui/units";
import { CupMarkIcon } from "../marks";
import { type Pair, ScoreDots } from "./ScoreDots";
import { RemoveSession } from "./SessionView";
import { adviceFor, cupsWord, sessionWords } from "./words";

type View = SessionResults["views"][number];

/** A closed tasting: what it says first, the picture second, the cups beside it. */
export function Closed({ session }: { session: TastingSession }) {
  const results = useQuery(tastingResultsQuery(session.id));
  const navigate = useNavigate();
  const best = results.data?.shots.find((shot) => shot.liked_most);
  const to = session.shots.find((shot) => shot.id === best?.id) ?? session.shots.at(-1);
  const plan = `/plan/${to?.profile_id ?? ""}`;
  const again = `/taste/together?shots=${session.shots.map((shot) => shot.id).join(",")}`;
  useActions("closed", [
    { id: "again", words: "Taste again", key: "a", group: "Here", run: () => navigate(again) },
    {
      id: "change",
      words: "Change one thing in Plan",
      key: "p",
      group: "Here",
      run: () => navigate(plan),
    },
  ]);
  if (results.isError) return <PageError error={results.error} retry={() => results.refetch()} />;
  if (!results.data) return <Loading what="the results" />;
  const when = session.closed_at ? `, closed ${moment(session.closed_at)}` : "";
  return (
    <div className={styles.plan}>
      <main className={styles.planMain}>
        <div className={styles.planHead}>
          <div className="flex flex-wrap items-baseline justify-between gap-2">
            <h1>
              {cupsWord(session.shots.length)}{" "}
              <small className="text-small font-normal tracking-normal text-quiet">
                {sessionWords(session)}
                {when}
              </small>
            </h1>
            <span className="flex gap-2">
              <ButtonLink to={`/taste/together/${session.id}/serving`}>Serving sheet</ButtonLink>
              <ButtonLink to={again}>Taste again</ButtonLink>
              <RemoveSession session={session} />
            </span>
          </div>
          <Says results={results.data} />
        </div>
        {results.data.views.length > 0 && <Picture results={results.data} />}
      </main>
      <aside className={styles.forecastColumn} aria-label="The cups">
        <h2>The cups</h2>
        <ul>
          {results.data.shots.map((shot, i) => (
            <RevealedCup key={shot.id} shot={shot} cup={i} />
          ))}
        </ul>
        {results.data.could_tell.length > 0 && (
          <>
            <h2 className="pt-4">Could they tell?</h2>
            <ul>
              {results.data.could_tell.map((words) => (
                <li key={words} className="border-b border-rule py-1.5">
                  {words}
                </li>
              ))}
            </ul>
          </>
        )}
        <p className="pt-3 text-small text-quiet">{caffeineWords(session)}</p>
        <div className="mt-auto pt-4">
          <ButtonLink kind="main" className="w-full" to={plan}>
            Change one thing in Plan <Key>P</Key>
          </ButtonLink>
        </div>
      </aside>
    </div>
  );
}

function caffeineWords(session: TastingSession) {
  const each = session.seats.map(
    (seat) => `about ${seat.caffeine.caffeine_mg.toFixed(0)} mg for ${seat.name}`,
  );
  return [`Caffeine, if everything was swallowed: ${listed(each)}.`, ...adviceFor(session)].join(
    " ",
  );
}

/** The sentences, the first in bold, and below them what weakens them. */
function Says({ results }: { results: SessionResults }) {
  const [first, ...rest] = results.says;
  return (
    <>
      <p className="mt-1 max-w-[820px] text-lead leading-5.5">
        <b>{first}</b> {rest.join(" ")}
      </p>
      {results.notes.map((words) => (
        <p key={words} className="mt-1 max-w-[820px] text-quiet">
          {words}
        </p>
      ))}
      <Odds results={results} />
      {results.warnings.map((words) => (
        <p key={words} className="mt-1 flex gap-1.5 text-warn">
          <TriangleAlert size={15} className="mt-px shrink-0" aria-hidden="true" />
          {words}
        </p>
      ))}
    </>
  );
}

/** How probably each recipe is liked more than another, before a difference is clear. */
function Odds({ results }: { results: SessionResults }) {
  if (results.odds.length === 0) return null;
  const names = new Map(results.shots.map((shot) => [shot.id, shot.name]));
  return (
    <section aria-label="Odds" className="mt-2 text-small text-quiet">
      <h2 className="sr-only">Which is probably liked more</h2>
      <ul className="grid w-fit grid-cols-[auto_auto_auto] gap-x-2 gap-y-1 sm:grid-cols-[auto_auto_auto_auto]">
        {results.odds.map((one) => (
          <li
            key={`${one.first}-${one.second}`}
            className="col-span-3 grid grid-cols-subgrid items-center sm:col-span-4"
          >
            <span className="text-right">{nameOf(one.first, names)}</span>
            <OddsBar chances={one} />
            <span>{nameOf(one.second, names)}</span>
            <span className="col-span-3 sm:col-span-1 sm:pl-2">{one.words}</span>
          </li>
        ))}
      </ul>
      <p className="mt-1">
        Bars: how probably each side’s recipe is liked more; open: no difference.
      </p>
    </section>
  );
}

function RevealedCup({ shot, cup }: { shot: SessionResults["shots"][number]; cup: number }) {
  const whole = useQuery(shotQuery(shot.id));
  const figures = [
    shot.shot_time_s === null ? null : `${shot.shot_time_s.toFixed(1)} s`,
    shot.yield_g === null ? null : grams(shot.yield_g, 1),
    shot.extraction_yield_pct === null
      ? "EY unknown"
      : `EY ${fixed(shot.extraction_yield_pct, 1)} ± ${fixed(shot.extraction_error_pct, 1)}`,
  ].filter((words) => words !== null);
  const words = Object.entries(shot.words).map(([word, count]) =>
    count > 1 ? `${word} (${count})` : word,
  );
  const codes = shot.codes.length > 3 ? `${shot.codes.length} cups` : `was ${listed(shot.codes)}`;
  return (
    <li className="grid grid-cols-[22px_minmax(0,_1fr)_84px] border-b border-rule py-2.5">
      <CupMarkIcon cup={cup} />
      <div className="min-w-0 pr-2">
        <p className="truncate" title={shot.name}>
          <b>{shot.name}</b>
        </p>
        {shot.codes.length > 0 && <p className="text-small text-quiet">{codes}</p>}
        <p className="text-small text-quiet tabular-nums">{figures.join(" · ")}</p>
        {words.length > 0 && <p className="text-small">{words.join(", ")}</p>}
        {shot.off_target.map((off) => (
          <p key={off} className="text-small text-warn">
            {off}
          </p>
        ))}
      </div>
      {whole.data && (
        <SmallCurve traces={whole.data.traces} stop_s={whole.data.shot_time_s ?? null} />
      )}
    </li>
  );
}

/** The chart of scores, with what to show: warmth, taster, which difference. */
function Picture({ results }: { results: SessionResults }) {
  const warmths = [...new Set(results.views.map((view) => view.warmth))];
  const [warmth, setWarmth] = useState(warmths[0] ?? "hot");
  const here = results.views.filter((view) => view.warmth === warmth);
  const [who, setWho] = useState("");
  const view = here.find((one) => (one.taster ?? "") === who) ?? here[0];
  const pairs = pairsIn(view);
  const [pair, setPair] = useState("");
  const shown = pairs.find((one) => one.id === pair) ?? telling(pairs, view);
  const names = new Map(results.shots.map((shot) => [shot.id, shot.name]));
  if (!view) return null;
  return (
    <section className={cn(styles.sheet, "shrink-0")} aria-label="Scores">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2 px-3.5 pt-3">
        {warmths.length > 1 && (
          <Segments
            label="Warmth"
            value={warmth}
            options={warmths.map((one) => ({
              value: one,
              words: one.charAt(0).toUpperCase() + one.slice(1),
            }))}
            onChange={setWarmth}
          />
        )}
        {here.length > 1 && (
          <Segments
            label="Taster"
            value={who}
            options={here.map((one) => ({
              value: one.taster ?? "",
              words: one.taster ?? "All",
            }))}
            onChange={setWho}
          />
        )}
        {shown && (
          <span className="ml-auto flex items-center gap-2 text-small">
            {pairs.length > 1 ? (
              <Choice
                label="Difference"
                value={shown.id}
                options={pairs.map((one) => ({
                  value: one.id,
                  words: lessWords(one, names),
                }))}
                onChange={setPair}
              />
            ) : (
              <span className="text-quiet">{lessWords(shown, names)}</span>
            )}
          </span>
        )}
      </div>
      <ScoreDots
        view={view}
        shots={results.shots.map((shot) => shot.id)}
        names={names}
        pair={shown}
      />
      <Numbers view={view} results={results} />
      {results.rests_on && (
        <p className="border-t border-rule px-3.5 py-2 text-small text-quiet">{results.rests_on}</p>
      )}
    </section>
  );
}

const nameOf = (side: number[], names: Map<number, string>) => names.get(side[0] ?? 0) ?? "";
const lessWords = (pair: Pair, names: Map<number, string>) =>
  `${nameOf(pair.second, names)} less ${nameOf(pair.first, names)}`;

/** Every mean, and every difference with its range, on demand. */
function Numbers({ view, results }: { view: View; results: SessionResults }) {
  const names = new Map(results.shots.map((shot) => [shot.id, shot.name]));
  const pairs = pairsIn(view);
  return (
    <details className="border-t border-rule px-3.5 py-2">
      <summary className="cursor-pointer font-medium">Numbers</summary>
      <div className="mt-1 overflow-x-auto">
        <DataTable
          what="Line"
          heads={[
            ...results.shots.map((shot) => shot.name),
            ...pairs.map((pair) => lessWords(pair, names)),
          ]}
          className="w-full text-left [&_td]:tabular-nums [&_td]:pr-3 [&_th]:pr-3 [&_th]:font-normal [&_thead]:text-quiet"
          lines={view.lines.map((line) => ({
            id: line.field,
            name: line.name,
            cells: [
              ...results.shots.map((shot) => {
                const mean = line.means.find((one) => one.shot_id === shot.id);
                return mean ? `${mean.points.toFixed(1)} (${mean.tasters})` : "–";
              }),
              ...pairs.map((pair) => differenceWords(line, pair.id)),
            ],
          }))}
        />
      </div>
      <p className="mt-1 text-small text-quiet">
        Means, with the number of tasters in brackets; then differences, with the range of the true
        one in nineteen of twenty cases. * clear difference.
      </p>
    </details>
  );
}

function differenceWords(line: View["lines"][number], id: string) {
  const one = line.contrasts.find((contrast) => pairId(contrast) === id);
  if (!one) return "–";
  const step = one.points.toFixed(1);
  if (one.low === null || one.high === null) return `${step} (not known)`;
  return `${step} (${one.low.toFixed(1)} to ${one.high.toFixed(1)})${one.significant ? " *" : ""}`;
}

const pairId = (pair: Pair) => `${pair.first.join("+")}-${pair.second.join("+")}`;

/** The pair that differs on the most lines. */
function telling(pairs: ReturnType<typeof pairsIn>, view: View | undefined) {
  const clear = (id: string) =>
    view?.lines.filter((line) =>
      line.contrasts.some((one) => pairId(one) === id && one.significant),
    ).length ?? 0;
  return pairs.toSorted((a, b) => clear(b.id) - clear(a.id))[0];
}

function pairsIn(view: View | undefined) {
  const seen = new Map<string, Pair & { id: string }>();
  for (const line of view?.lines ?? [])
    for (const { first, second } of line.contrasts) {
      const id = pairId({ first, second });
      seen.set(id, { id, first, second });
    }
  return [...seen.values()];
}

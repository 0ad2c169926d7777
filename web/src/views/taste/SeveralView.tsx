import { useQuery } from "@tanstack/react-query";
import { TriangleAlert } from "lucide-react";
import { type ReactNode, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import type { ComparedSeveral, ShotLine } from "../../api/client";
import { formQuery, severalQuery, shotsQuery } from "../../api/queries";
import { useActions } from "../../bench/actions";
import { ClockChoice, useTimeFigure } from "../../profile/ClockChoice";
import { useClock } from "../../profile/clock";
import { SmallCurve } from "../../shots/SmallCurve";
import { ButtonLink } from "../../ui/Button";
import { fixed, plain } from "../../ui/format";
import { Key } from "../../ui/Key";
import { Loading, PageError } from "../../ui/Messages";
import { Segments } from "../../ui/Segments";
import { cn, styles } from "../../ui/styles";
import { apartNumber, grams, readUnit } from "../../ui/units";
import { Word } from "../../ui/Word";
import { CupMarkIcon } from "./marks";
import { ShotChoice } from "./ShotChoice";

type Comparison = ComparedSeveral["comparison"];
type Place = Comparison["places"][number];
type Warmth = "hot" | "warm" | "cool";
type Served = "straight" | "milk";

const MOST = 12;

/** Compare several shots as they were run, sorted by liking; what does not clearly differ is pale. */
export function SeveralView() {
  const [asked, setAsked] = useSearchParams();
  const [warmth, setWarmth] = useState<Warmth>("hot");
  const [served, setServed] = useState<Served>("straight");
  const clock = useClock((state) => state.clock);
  const shots = useQuery(shotsQuery());
  const numbers = (asked.get("shots") ?? "").split(",").map(Number).filter(Number.isInteger);
  const chosen = [...new Set(numbers)].filter((number) => number > 0).slice(0, MOST);
  const compared = useQuery({
    ...severalQuery(chosen, warmth, served, clock),
    enabled: chosen.length > 1,
  });
  const navigate = useNavigate();
  const best = compared.data?.shots[compared.data.comparison.places[0]?.index ?? 0];
  const change = () => navigate(best ? `/plan/${best.profile_id}` : "/plan");
  useActions("several", [
    { id: "change", words: "Change one thing in Plan", key: "p", group: "Here", run: change },
    {
      id: "what-to-change",
      words: "What to change next",
      key: "n",
      group: "Here",
      disabled: !best,
      run: () => best && navigate(`/next/${best.id}`),
    },
  ]);
  if (shots.isError && !shots.data)
    return <PageError error={shots.error} retry={() => shots.refetch()} />;
  if (compared.isError)
    return <PageError error={compared.error} retry={() => compared.refetch()} />;
  if (!shots.data || (chosen.length > 1 && !compared.data)) return <Loading what="the shots" />;
  return (
    <main className="flex min-h-0 flex-1 flex-col overflow-y-auto px-5 pb-4 max-phone:px-3">
      <div className={cn(styles.planHead, "flex flex-wrap items-center justify-between gap-2")}>
        <h1>
          Compare{" "}
          <Word
            words={chosen.length === 0 ? "no shots yet" : `shots ${chosen.join(", ")}`}
            label="Shots"
            className="w-96"
          >
            {() => (
              <ShotChoice
                chosen={chosen}
                most={MOST}
                shots={shots.data.filter((shot) => shot.state !== "running" && !shot.dry)}
                change={(next) => setAsked({ shots: next.join(",") }, { replace: true })}
              />
            )}
          </Word>
        </h1>
        <span className="flex flex-wrap items-center gap-2">
          <Segments
            label="Warmth"
            value={warmth}
            options={[
              { value: "hot", words: "Hot" },
              { value: "warm", words: "Warm" },
              { value: "cool", words: "Cool" },
            ]}
            onChange={setWarmth}
          />
          <Segments
            label="Served"
            value={served}
            options={[
              { value: "straight", words: "Straight" },
              { value: "milk", words: "In milk" },
            ]}
            onChange={setServed}
          />
          <ClockChoice />
        </span>
      </div>
      {compared.data ? (
        <SideBySide compared={compared.data} />
      ) : (
        <p className="text-quiet">Choose two shots or more: click “no shots yet”.</p>
      )}
      {compared.data && (
        <div className="mt-4 flex flex-wrap gap-2">
          <ButtonLink to={`/taste/together?shots=${chosen.slice(-6).join(",")}`}>
            Taste them together
          </ButtonLink>
          {best && (
            <ButtonLink to={`/next/${best.id}`}>
              What to change next <Key>N</Key>
            </ButtonLink>
          )}
          <ButtonLink kind="main" to={best ? `/plan/${best.profile_id}` : "/plan"}>
            Change one thing in Plan <Key>P</Key>
          </ButtonLink>
        </div>
      )}
    </main>
  );
}

function SideBySide({ compared }: { compared: ComparedSeveral }) {
  const { comparison } = compared;
  const form = useQuery(formQuery());
  const scored = (form.data?.attributes ?? []).filter(
    ({ field }) => field !== "liking" && comparison.places.some((one) => field in one.scores),
  );
  const [first, ...rest] = comparison.says;
  const columns = columnsOf(compared);
  const rows: { name: string; cell: (one: Column) => ReactNode }[] = [
    { name: "Liking", cell: ({ place }) => <Liking place={place} compared={compared} /> },
    { name: "Result", cell: ({ shot }) => <Result shot={shot} /> },
    ...scored.map((attribute) => ({
      name: attribute.name,
      cell: ({ place }: Column) => <Scored place={place} field={attribute.field} />,
    })),
    { name: "Done differently", cell: ({ place }) => <Done place={place} /> },
  ];
  return (
    <>
      <p className="max-w-[860px] text-lead leading-5.5">
        <b>{first}</b> {rest.join(" ")}
      </p>
      {comparison.notes.map((words) => (
        <p key={words} className="mt-1 max-w-[860px] text-quiet">
          {words}
        </p>
      ))}
      {comparison.warnings.map((words) => (
        <p key={words} className="mt-1 flex gap-1.5 text-warn">
          <TriangleAlert size={15} className="mt-px shrink-0" aria-hidden="true" />
          {words}
        </p>
      ))}
      <Spreads comparison={comparison} />
      <div className="mt-3 shrink-0 overflow-x-auto rounded-sm border border-rule bg-sheet">
        <table className="w-full border-collapse [&_td]:min-w-36 [&_td]:px-3 [&_td]:py-1.5 [&_td]:align-top [&_td]:tabular-nums [&_th]:px-3 [&_th]:py-1.5 [&_th]:text-left [&_th]:align-top [&_th]:font-normal [&_tbody_th]:sticky [&_tbody_th]:left-0 [&_tbody_th]:bg-sheet [&_tbody_th]:text-quiet [&_tr]:border-b [&_tr]:border-rule [&_tr:last-child]:border-b-0">
          <thead>
            <tr>
              <td className="min-w-0!" />
              {columns.map((one) => (
                <th key={one.shot.id} scope="col">
                  <Head {...one} />
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.name}>
                <th scope="row">{row.name}</th>
                {columns.map((one) => (
                  <td key={one.shot.id}>{row.cell(one)}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="mt-1.5 text-small text-quiet">
        Sorted by liking, each taster compared with their own average. Pale scores do not clearly
        differ from the first shot’s.
      </p>
    </>
  );
}

interface Column {
  place: Place;
  shot: ShotLine;
  traces: ComparedSeveral["traces"][number];
}

/** The shots, the best liked first. */
function columnsOf(compared: ComparedSeveral): Column[] {
  return compared.comparison.places.flatMap((place) => {
    const [shot, traces] = [compared.shots[place.index], compared.traces[place.index]];
    return shot && traces ? [{ place, shot, traces }] : [];
  });
}

function Head({ place, shot, traces }: Column) {
  return (
    <>
      <span className="flex gap-1.5">
        <CupMarkIcon cup={place.index} />
        <span className="min-w-0">
          <Link className={styles.word} to={`/read/${shot.id}`}>
            {shot.profile_name} v{shot.number}
          </Link>
          <span className="mt-0.5 block text-small text-quiet">
            shot {shot.id}
            {place.index === 0 && ", the first"}
          </span>
        </span>
      </span>
      <span className="mt-1.5 block">
        <SmallCurve traces={traces} stop_s={shot.shot_time_s ?? null} width={120} height={56} />
      </span>
    </>
  );
}

/** A score, pale where it does not clearly differ from the first shot's. */
function Scored({ place, field }: { place: Place; field: string }) {
  const points = place.scores[field];
  const clear = place.index === 0 || place.significant.includes(field);
  return (
    <span className={cn(!clear && "text-quiet")} data-clear={clear}>
      {points === undefined ? "–" : plain(Number(points.toFixed(1)))}
    </span>
  );
}

function Done({ place }: { place: Place }) {
  if (place.index === 0) return <span className="text-quiet">–</span>;
  if (place.done.length === 0) return <span className="text-quiet">nothing: a repeat</span>;
  return (
    <ul>
      {place.done.map((line) => (
        <li key={line.words}>{line.words}</li>
      ))}
    </ul>
  );
}

function Liking({ place, compared }: { place: Place; compared: ComparedSeveral }) {
  if (place.liking === null) return <span className="text-quiet">not scored</span>;
  const close = place.too_close.map((index) => compared.shots[index]?.id).filter(Boolean);
  return (
    <>
      <b className={styles.fig}>{place.liking.toFixed(1)}</b>
      {place.tasters > 1 && (
        <span className="block text-small text-quiet">{place.tasters} tasters</span>
      )}
      {close.length > 0 && (
        <span className="block max-w-36 text-small text-quiet">
          not clearly better or worse than shot {close.join(", ")}
        </span>
      )}
    </>
  );
}

function Result({ shot }: { shot: ShotLine }) {
  const seconds = shot[useTimeFigure()];
  const extraction =
    shot.extraction_yield_pct === null
      ? "EY unknown"
      : `EY ${fixed(shot.extraction_yield_pct, 1)} ± ${fixed(shot.extraction_error_pct, 1)} %`;
  return (
    <span className="whitespace-nowrap">
      {fixed(seconds, 1)} s · {shot.yield_g === null ? "unknown" : grams(shot.yield_g, 1)}
      <span className="block text-small text-quiet">{extraction}</span>
    </span>
  );
}

const FIGURES: Record<string, { words: string; unit: string }> = {
  shot_time_s: { words: "time", unit: "s" },
  yield_g: { words: "yield", unit: "g" },
  peak_pressure_bar: { words: "peak", unit: "bar" },
  extraction_yield_pct: { words: "EY", unit: "%" },
};

/** How much repeats among the shots vary. */
function Spreads({ comparison }: { comparison: Comparison }) {
  return (
    <>
      {comparison.spreads.map((spread) => (
        <p key={spread.shots.join()} className="mt-1 text-quiet">
          {spread.shots.length} repeats of {spread.name} differ by{" "}
          {Object.entries(spread.deviations)
            .map(([figure, sd]) => {
              const { words, unit } = FIGURES[figure] ?? { words: figure, unit: "" };
              return `${words} ± ${apartNumber(sd, unit, 1)} ${readUnit(unit)}`;
            })
            .join(", ")}
          .
        </p>
      ))}
    </>
  );
}

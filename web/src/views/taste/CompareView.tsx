import { useQuery } from "@tanstack/react-query";
import { TriangleAlert } from "lucide-react";
import { Navigate, useNavigate, useParams } from "react-router";
import type { Compared, Shot } from "../../api/client";
import { compareQuery, formQuery } from "../../api/queries";
import { useActions } from "../../bench/actions";
import { ClockChoice, useTimeFigure } from "../../profile/ClockChoice";
import { useClock } from "../../profile/clock";
import { Button, ButtonLink } from "../../ui/Button";
import { DataTable } from "../../ui/DataTable";
import { moment, plain } from "../../ui/format";
import { Key } from "../../ui/Key";
import { Loading, PageError } from "../../ui/Messages";
import { cn, styles } from "../../ui/styles";
import { amount, grams, temperature } from "../../ui/units";
import { OverlaidChart } from "./OverlaidChart";
import { TasteSlopes } from "./TasteSlopes";

const DIFFERS =
  "font-semibold [&_th::before]:content-[''] [&_th::before]:inline-block [&_th::before]:w-1.5 [&_th::before]:h-1.5 [&_th::before]:mr-1.25 [&_th::before]:rounded-[1px] [&_th::before]:bg-warn [&_th::before]:[vertical-align:2px] [&_th]:text-ink";

const SIDES =
  "w-full table-fixed text-left [&_th:first-child]:w-29 [&_thead_th]:align-bottom [&_thead_th:not(:first-child)]:pl-2 [&_td]:pl-2 [&_td]:tabular-nums [&_tbody_th]:py-px [&_tbody_th]:font-normal [&_tbody_th]:text-quiet";

/** Compare: two shots overlaid, with what was done differently, the result, how it tasted. */
export function CompareView() {
  const { first, second } = useParams();
  const [a, b] = [Number(first), Number(second)];
  const known = Number.isInteger(a) && Number.isInteger(b) && a !== b;
  const clock = useClock((state) => state.clock);
  const compared = useQuery({ ...compareQuery(a, b, clock), enabled: known });
  if (!known) return <Navigate to="/taste" replace />;
  if (compared.data) return <SideBySide compared={compared.data} />;
  if (compared.isError)
    return <PageError error={compared.error} retry={() => compared.refetch()} />;
  return <Loading what="the two shots" />;
}

/** A shot's short name; two of the same version differ by their numbers. */
function names({ first, second }: Compared): [string, string] {
  const same = first.profile_name === second.profile_name;
  const short = (shot: Shot) => `${same ? "" : `${shot.profile_name} `}v${shot.number}`;
  if (same && first.number === second.number) return [`shot ${first.id}`, `shot ${second.id}`];
  return [short(first), short(second)];
}

function SideBySide({ compared }: { compared: Compared }) {
  const { first, second, comparison } = compared;
  const pair = names(compared);
  const form = useQuery(formQuery());
  const navigate = useNavigate();
  const better = () => navigate(`/plan/${second.profile_id}`);
  useActions("compare", [
    { id: "change", words: "Change one thing in Plan", key: "p", group: "Here", run: better },
    {
      id: "what-to-change",
      words: "What to change next",
      key: "n",
      group: "Here",
      run: () => navigate(`/next/${second.id}`),
    },
    {
      id: "swap",
      words: "Swap the two shots",
      key: "s",
      group: "Here",
      run: () => navigate(`/taste/${second.id}/with/${first.id}`, { replace: true }),
    },
  ]);
  return (
    <div className={cn(styles.plan, "grid-cols-[minmax(0,_1fr)_340px]")}>
      <main className={styles.planMain} data-part="plan-main">
        <div className={styles.planHead}>
          <h1 className="truncate">
            {first.profile_name}{" "}
            <span className="font-mono text-base text-quiet">v{first.number}</span>
            <span className="font-normal text-quiet"> and </span>
            {second.profile_name}{" "}
            <span className="font-mono text-base text-quiet">v{second.number}</span>
          </h1>
          <p className="mt-1">
            <b>{comparison.verdict}</b>{" "}
            {comparison.caution && (
              <span className="text-warn">
                <TriangleAlert size={14} className="mr-1 inline align-[-2px]" aria-hidden="true" />
                {comparison.caution}
              </span>
            )}
          </p>
        </div>
        <section className={styles.sheet} aria-label="Both shots">
          <OverlaidChart first={first} second={second} names={pair} />
          <div className="grid gap-x-8 gap-y-3 border-t border-rule p-4 md:grid-cols-[2fr_1fr]">
            <Differences title="Done differently" none="Nothing." lines={comparison.done} />
            <Differences title="Result" none="Nothing worth a word." lines={comparison.came} />
          </div>
        </section>
      </main>
      <aside className={styles.forecastColumn} aria-label="Recipe, result and taste">
        <div className="flex justify-end">
          <ClockChoice />
        </div>
        <SideTable compared={compared} names={pair} />
        <h2 className="pt-3">Taste</h2>
        {form.data && <TasteSlopes compared={compared} attributes={form.data.attributes} />}
        <div className={styles.columnFoot}>
          <div className="flex gap-2">
            <ButtonLink className="min-w-0 flex-1" to={`/taste/${first.id}`}>
              <span className="truncate">Taste {pair[0]}</span>
            </ButtonLink>
            <ButtonLink className="min-w-0 flex-1" to={`/taste/${second.id}`}>
              <span className="truncate">Taste {pair[1]}</span>
            </ButtonLink>
          </div>
          <ButtonLink className="w-full" to={`/next/${second.id}`}>
            What to change next <Key>N</Key>
          </ButtonLink>
          <Button kind="main" className="w-full" onClick={better}>
            Change one thing in Plan <Key>P</Key>
          </Button>
        </div>
      </aside>
    </div>
  );
}

type Line = Compared["comparison"]["done"][number];

const MANY = 6; // lines, beyond which they stand in two columns

function Differences({ title, none, lines }: { title: string; none: string; lines: Line[] }) {
  return (
    <section>
      <h2>{title}</h2>
      {lines.length === 0 ? (
        <p className="text-quiet">{none}</p>
      ) : (
        <ul className={lines.length > MANY ? "gap-8 md:columns-2" : ""}>
          {lines.map((line) => (
            <li key={line.words} className="mt-0.5 first-letter:uppercase">
              {line.words}
              {(line.parts ?? []).length > 0 && <Parts parts={line.parts ?? []} />}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

/** The single steps between two things that are simply different, folded. */
function Parts({ parts }: { parts: string[] }) {
  return (
    <details className="inline">
      <summary className="inline cursor-pointer pl-1 text-quiet underline decoration-rule underline-offset-4">
        {parts.length} steps
      </summary>
      <ul className="list-disc pl-5">
        {parts.map((words) => (
          <li key={words}>{words}</li>
        ))}
      </ul>
    </details>
  );
}

interface Row {
  name: string;
  /** What the comparison calls it where it differs by more than its noise. */
  what: string;
  of: (shot: Shot) => string;
}

const RECIPE: Row[] = [
  { name: "Pulled", what: "", of: (shot) => moment(shot.started_at) },
  { name: "Coffee", what: "coffee", of: (shot) => shot.coffee ?? "not said" },
  { name: "Dose", what: "dose", of: (shot) => grams(shot.dose_g, 1) },
  { name: "Goal", what: "yield goal", of: (shot) => grams(shot.target_yield_g) },
  { name: "Basket", what: "basket", of: (shot) => shot.conditions.basket ?? "not said" },
  {
    name: "Grind",
    what: "grind",
    of: (shot) => (shot.grind_setting === null ? "not said" : plain(shot.grind_setting)),
  },
  { name: "Grinder", what: "grinder", of: (shot) => shot.grinder ?? "not said" },
  { name: "Machine", what: "machine", of: (shot) => shot.machine },
  { name: "Water", what: "water", of: (shot) => temperature(shot.water_c) },
];
const RESULT: Row[] = [
  { name: "First drip", what: "first drip", of: (shot) => withUnit(shot.first_drip_s, 1, "s") },
  { name: "Yield", what: "yield", of: (shot) => withUnit(shot.yield_g, 1, "g") },
  { name: "Peak pressure", what: "peak", of: (shot) => withUnit(shot.peak_pressure_bar, 1, "bar") },
  { name: "Strength (TDS)", what: "strength", of: (shot) => withUnit(shot.tds_pct, 1, "%") },
  {
    name: "Extraction (EY)",
    what: "extraction",
    of: (shot) => withUnit(shot.extraction_yield_pct, 1, "%"),
  },
];

function withUnit(value: number | null, digits: number, unit: string) {
  return value === null ? "unknown" : amount(value, unit, digits);
}

/** Both shots' recipe and result side by side; what is not alike stands out. */
function SideTable({ compared, names: [a, b] }: { compared: Compared; names: [string, string] }) {
  const { first, second, comparison } = compared;
  const time = useTimeFigure();
  const result = [
    { name: "Shot time", what: "shot time", of: (shot: Shot) => withUnit(shot[time], 1, "s") },
    ...RESULT,
  ];
  const unlike = new Set([...comparison.done, ...comparison.came].map((one) => one.what));
  return (
    <DataTable
      what="What"
      heads={[a, b]}
      className={SIDES}
      groups={[RECIPE, result].map((rows) =>
        rows.map((row) => ({
          name: row.name,
          className: unlike.has(row.what) ? DIFFERS : "",
          cells: [first, second].map((shot) => (
            <span key={shot.id} className="block truncate" title={row.of(shot)}>
              {row.of(shot)}
            </span>
          )),
        })),
      )}
    />
  );
}

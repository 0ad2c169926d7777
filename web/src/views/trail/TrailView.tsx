import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, Navigate, useNavigate, useParams, useSearchParams } from "react-router";
import type { TrailNode } from "../../api/client";
import {
  benchQuery,
  coffeesQuery,
  type TrailFilter,
  trailQuery,
  trailSummaryQuery,
} from "../../api/queries";
import { useActions } from "../../bench/actions";
import { Button, ButtonLink } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Empty, ErrorNote, Loading, PageError } from "../../ui/Messages";
import { cn, styles } from "../../ui/styles";
import { Filters, filterOf } from "./Filters";
import { TrailColumn } from "./TrailColumn";
import { TrailRow } from "./TrailRow";

/** Trail: a coffee's shots in order, and what each change did. */
export function TrailView() {
  const { coffeeId } = useParams();
  const bench = useQuery(benchQuery());
  const coffees = useQuery(coffeesQuery());
  if (coffees.isError && !coffees.data)
    return <PageError error={coffees.error} retry={() => coffees.refetch()} />;
  if (!coffees.data || !bench.data) return <Loading what="the coffees" />;
  const first = bench.data.coffee?.id ?? coffees.data[0]?.id;
  if (coffeeId === undefined)
    return first === undefined ? <NoCoffee /> : <Navigate to={`/trail/${first}`} replace />;
  const id = Number(coffeeId);
  return Number.isInteger(id) ? (
    <OfCoffee key={id} id={id} coffees={coffees.data} />
  ) : (
    <Navigate to="/trail" replace />
  );
}

function NoCoffee() {
  return (
    <Empty title="No coffee yet">
      <p>The shots of a coffee stand here in order, with what each change did to the taste.</p>
      <ButtonLink kind="main" to="/shelf/coffees/new">
        Put a coffee on the shelf
      </ButtonLink>
    </Empty>
  );
}

function OfCoffee({ id, coffees }: { id: number; coffees: { id: number; name: string }[] }) {
  const [search] = useSearchParams();
  const filter = filterOf(search);
  const trail = useInfiniteQuery(trailQuery(id, filter));
  const summary = useQuery(trailSummaryQuery(id));
  const failed = [trail, summary].find((one) => one.isError && !one.data);
  if (failed?.error) return <PageError error={failed.error} retry={() => failed.refetch()} />;
  if (!trail.data || !summary.data) return <Loading what="the trail" />;
  const nodes = trail.data.pages.flatMap((page) => page.nodes);
  const { coffee } = summary.data;
  return (
    <Shown
      {...{ id, coffee, coffees, nodes, filter }}
      summary={summary.data}
      stale={trail.isPlaceholderData}
      error={trail.error}
      earlier={trail.hasNextPage ? () => trail.fetchNextPage() : undefined}
      reading={trail.isFetchingNextPage}
    />
  );
}

interface ShownProps {
  id: number;
  coffee: string;
  coffees: { id: number; name: string }[];
  nodes: TrailNode[];
  filter: TrailFilter;
  summary: React.ComponentProps<typeof TrailColumn>["summary"];
  stale: boolean;
  error: Error | null;
  /** Reads earlier shots; undefined at the first one. */
  earlier: (() => void) | undefined;
  reading: boolean;
}

function Shown(props: ShownProps) {
  const { id, coffee, coffees, nodes, filter, summary, stale, error, earlier, reading } = props;
  const [chosen, setChosen] = useState<number>();
  const current = nodes.find((one) => one.shot.id === chosen) ?? nodes[0];
  const place = current ? nodes.indexOf(current) : -1;
  const go = (by: number) => {
    const one = nodes[Math.min(nodes.length - 1, Math.max(0, place + by))];
    if (!one) return;
    setChosen(one.shot.id);
    document.getElementById(`shot-${one.shot.id}`)?.scrollIntoView({ block: "nearest" });
  };
  useActions("trail", [
    {
      id: "trail-down",
      words: "The shot before",
      key: "ArrowDown",
      group: "Here",
      run: () => go(1),
    },
    { id: "trail-up", words: "The shot after", key: "ArrowUp", group: "Here", run: () => go(-1) },
  ]);
  const filtered = Object.keys(filter).length > 0;
  const lanes = filtered
    ? 1
    : 1 + Math.max(0, ...nodes.map((one) => Math.max(one.lane, ...one.passing)));
  return (
    <div className={styles.plan}>
      <main className={styles.planMain}>
        <div className={cn(styles.planHead, "flex flex-wrap items-center gap-x-3 gap-y-1.5")}>
          <h1>Trail of</h1>
          <Coffee id={id} coffee={coffee} coffees={coffees} />
          <span className="text-quiet">{counted(summary.shots)}</span>
        </div>
        <Filters choices={summary.choices} />
        {error && <ErrorNote error={error} />}
        <div className={cn(styles.sheet, "mt-2 overflow-y-auto", stale && "opacity-60")}>
          {nodes.length === 0 && (
            <p className="p-4">
              {filtered ? (
                "No shot of this coffee is like that."
              ) : (
                <>
                  No shot of this coffee yet.{" "}
                  <Link className="text-action underline" to="/pull">
                    Go to Pull
                  </Link>
                </>
              )}
            </p>
          )}
          <ol aria-label="Shots, the newest first">
            {nodes.map((node, i) => (
              <TrailRow
                key={node.shot.id}
                node={node}
                below={nodes[i + 1]?.shot.id}
                lanes={Math.min(lanes, MOST_LANES)}
                plain={filtered}
                best={summary.best?.shot.id === node.shot.id}
                baseline={summary.baseline?.shot.id === node.shot.id}
                current={node === current}
                choose={() => setChosen(node.shot.id)}
              />
            ))}
          </ol>
          {earlier && <Earlier read={earlier} reading={reading} />}
        </div>
      </main>
      {current && <TrailColumn coffeeId={id} node={current} summary={summary} />}
    </div>
  );
}

const MOST_LANES = 5;
const counted = (shots: number) => (shots === 1 ? "1 shot" : `${shots} shots`);

function Coffee({ id, coffee, coffees }: Pick<ShownProps, "id" | "coffee" | "coffees">) {
  const navigate = useNavigate();
  const options = coffees.map((one) => ({ value: one.id, words: one.name }));
  if (!options.some((one) => one.value === id)) options.unshift({ value: id, words: coffee });
  return (
    <Choice
      label="Trail of"
      value={id}
      options={options}
      onChange={(next) => navigate(`/trail/${next}`)}
      className="max-w-72"
    />
  );
}

/** Reads on by itself once it comes into sight. */
function Earlier({ read, reading }: { read: () => void; reading: boolean }) {
  const here = useRef<HTMLButtonElement>(null);
  const latest = useRef(read);
  latest.current = read;
  useEffect(() => {
    if (!here.current || reading) return;
    const seen = new IntersectionObserver(([one]) => one?.isIntersecting && latest.current());
    seen.observe(here.current);
    return () => seen.disconnect();
  }, [reading]);
  return (
    <Button ref={here} className="m-3" disabled={reading} onClick={read}>
      {reading ? "Reading earlier shots" : "Earlier shots"}
    </Button>
  );
}

import { useQuery } from "@tanstack/react-query";
import { Link, Navigate, useParams } from "react-router";
import {
  basketsQuery,
  coffeesQuery,
  grindersQuery,
  machinesQuery,
  preparationsQuery,
  watersQuery,
} from "../../api/queries";
import { controlWords } from "../../bench/kinds";
import { ButtonLink } from "../../ui/Button";
import { Loading, PageError } from "../../ui/Messages";
import { amountNumber, grams } from "../../ui/units";
import { BasketPage } from "./BasketPage";
import { CarePage } from "./CarePage";
import { CoffeePage } from "./CoffeePage";
import { GrinderPage } from "./GrinderPage";
import { HousePage } from "./HousePage";
import { MachinePage } from "./MachinePage";
import { PreparationPage } from "./PreparationPage";
import { mineralWords, WaterPage } from "./WaterPage";

const KINDS = [
  { kind: "machines", words: "Machines", one: "machine" },
  { kind: "coffees", words: "Coffees", one: "coffee" },
  { kind: "grinders", words: "Grinders", one: "grinder" },
  { kind: "baskets", words: "Baskets", one: "basket" },
  { kind: "waters", words: "Waters", one: "water" },
  { kind: "preparations", words: "Preparations", one: "preparation" },
] as const;
const CARE = "care";
const HOUSE = "house";
type Kind = (typeof KINDS)[number]["kind"];

interface Line {
  id: number;
  name: string;
  hint: string;
}

/** Shelf: machines with their calibrations and slots, coffees with their bags, grinders, baskets, waters, ways of preparing; what falls due, what the house chose. */
export function ShelfView() {
  const { kind = "machines", id } = useParams();
  const found = KINDS.find((one) => one.kind === kind);
  if (!found && kind !== CARE && kind !== HOUSE) return <Navigate to="/shelf/machines" replace />;
  return (
    <main className="flex flex-1 flex-col min-h-0 pt-2.5 pb-0 px-5 max-phone:pt-2 max-phone:pb-0 max-phone:px-2.5">
      <div className="flex flex-wrap items-baseline gap-y-1 gap-x-6">
        <h1>Shelf</h1>
        <nav
          aria-label="Shelf"
          className="flex min-w-0 gap-0.5 max-phone:w-full max-phone:overflow-x-auto [&_a]:whitespace-nowrap [&_a]:py-1.25 [&_a]:px-3 [&_a]:border-b-2 [&_a]:border-b-transparent [&_a[aria-current]]:border-action [&_a[aria-current]]:text-action [&_a[aria-current]]:font-semibold"
        >
          {KINDS.map((one) => (
            <Link
              key={one.kind}
              to={`/shelf/${one.kind}`}
              aria-current={one.kind === kind ? "page" : undefined}
            >
              {one.words}
            </Link>
          ))}
          <Link to="/shelf/care" aria-current={kind === CARE ? "page" : undefined}>
            Care
          </Link>
          <Link to="/shelf/house" aria-current={kind === HOUSE ? "page" : undefined}>
            House
          </Link>
          <Link to="/shelf/learnt">What the shots taught</Link>
        </nav>
      </div>
      {found ? (
        <Standing kind={found.kind} one={found.one} id={id} />
      ) : kind === CARE ? (
        <CarePage />
      ) : (
        <HousePage />
      )}
    </main>
  );
}

function useLines(kind: Kind) {
  const machines = useQuery({ ...machinesQuery(), enabled: kind === "machines" });
  const coffees = useQuery({ ...coffeesQuery(), enabled: kind === "coffees" });
  const grinders = useQuery({ ...grindersQuery(), enabled: kind === "grinders" });
  const baskets = useQuery({ ...basketsQuery(), enabled: kind === "baskets" });
  const waters = useQuery({ ...watersQuery(), enabled: kind === "waters" });
  const preparations = useQuery({ ...preparationsQuery(), enabled: kind === "preparations" });
  const query = { machines, coffees, grinders, baskets, waters, preparations }[kind];
  const lines: Line[] | undefined = {
    machines: machines.data?.map((one) => line(one, controlWords(one.control.kind))),
    coffees: coffees.data?.map((one) => line(one, leftWords(one.bags[0]?.remaining_g, one.roast))),
    grinders: grinders.data?.map((one) =>
      line(one, `${one.settings[0]} to ${one.settings.at(-1)}`),
    ),
    baskets: baskets.data?.map((one) =>
      line(one, `${amountNumber(one.least_g, "g")} to ${grams(one.most_g)}`),
    ),
    waters: waters.data?.map((one) => line(one, mineralWords(one.facts))),
    preparations: preparations.data?.map((one) => line(one, one.steps)),
  }[kind];
  return { query, lines };
}

function line(one: { id: number; name: string }, hint: string): Line {
  return { id: one.id, name: one.name, hint };
}

function leftWords(remaining: number | null | undefined, roast: string) {
  return remaining == null ? roast : `${roast}, ${grams(remaining, 0)} left`;
}

function Standing({ kind, one, id }: { kind: Kind; one: string; id: string | undefined }) {
  const { query, lines } = useLines(kind);
  if (query.isError) return <PageError error={query.error} retry={() => query.refetch()} />;
  if (!lines) return <Loading what="the shelf" />;
  const fresh = id === "new";
  const first = lines[0];
  if (id === undefined)
    return <Navigate to={`/shelf/${kind}/${first ? first.id : "new"}`} replace />;
  const number = fresh ? undefined : Number(id);
  if (!fresh && !lines.some((other) => other.id === number))
    return <Navigate to={`/shelf/${kind}`} replace />;
  return (
    <div className="grid flex-1 grid-cols-[250px_minmax(0,_1fr)] gap-5 min-h-0 pt-2.5 max-phone:grid-cols-[minmax(0,_1fr)] max-phone:block">
      <div>
        <ul
          className="[&_a]:block [&_a]:py-1.25 [&_a]:px-2.5 [&_a]:border-l-3 [&_a]:border-l-transparent [&_a>span]:block [&_a[aria-current]]:border-action [&_a[aria-current]]:bg-tint [&_a[aria-current]]:font-semibold max-phone:flex max-phone:overflow-x-auto max-phone:[&_a]:border-l-0 max-phone:[&_a]:border-b-3 max-phone:[&_a]:border-b-transparent max-phone:[&_a]:whitespace-nowrap"
          aria-label={`Every ${one}`}
        >
          {lines.map((other) => (
            <li key={other.id}>
              <Link
                to={`/shelf/${kind}/${other.id}`}
                aria-current={other.id === number ? "page" : undefined}
              >
                <span className="min-w-0 truncate">{other.name}</span>
                <span className="text-small font-normal text-quiet">{other.hint}</span>
              </Link>
            </li>
          ))}
        </ul>
        <ButtonLink to={`/shelf/${kind}/new`} className="mt-2" aria-current={fresh || undefined}>
          New {one}
        </ButtonLink>
      </div>
      <Page key={`${kind}-${id}`} kind={kind} id={number} />
    </div>
  );
}

function Page({ kind, id }: { kind: Kind; id: number | undefined }) {
  if (kind === "machines") return <MachinePage id={id} />;
  if (kind === "coffees") return <CoffeePage id={id} />;
  if (kind === "grinders") return <GrinderPage id={id} />;
  if (kind === "waters") return <WaterPage id={id} />;
  if (kind === "preparations") return <PreparationPage id={id} />;
  return <BasketPage id={id} />;
}

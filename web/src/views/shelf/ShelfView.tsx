import { useQuery } from "@tanstack/react-query";
import { Link, Navigate, useParams } from "react-router";
import { basketsQuery, coffeesQuery, grindersQuery, machinesQuery } from "../../api/queries";
import { controlWords } from "../../bench/kinds";
import { Loading, PageError } from "../../ui/Messages";
import { BasketPage } from "./BasketPage";
import { CoffeePage } from "./CoffeePage";
import { GrinderPage } from "./GrinderPage";
import { MachinePage } from "./MachinePage";

const KINDS = [
  { kind: "machines", words: "Machines", one: "machine" },
  { kind: "coffees", words: "Coffees", one: "coffee" },
  { kind: "grinders", words: "Grinders", one: "grinder" },
  { kind: "baskets", words: "Baskets", one: "basket" },
] as const;
type Kind = (typeof KINDS)[number]["kind"];

interface Line {
  id: number;
  name: string;
  hint: string;
}

/** Shelf: machines with their calibrations and slots, coffees with their bags, grinders, baskets. */
export function ShelfView() {
  const { kind = "machines", id } = useParams();
  const found = KINDS.find((one) => one.kind === kind);
  if (!found) return <Navigate to="/shelf/machines" replace />;
  return (
    <main className="shelf">
      <div className="shelf-head">
        <h1>Shelf</h1>
        <nav aria-label="Shelf" className="shelf-tabs">
          {KINDS.map((one) => (
            <Link
              key={one.kind}
              to={`/shelf/${one.kind}`}
              aria-current={one.kind === kind ? "page" : undefined}
            >
              {one.words}
            </Link>
          ))}
        </nav>
      </div>
      <Standing kind={found.kind} one={found.one} id={id} />
    </main>
  );
}

function useLines(kind: Kind) {
  const machines = useQuery({ ...machinesQuery(), enabled: kind === "machines" });
  const coffees = useQuery({ ...coffeesQuery(), enabled: kind === "coffees" });
  const grinders = useQuery({ ...grindersQuery(), enabled: kind === "grinders" });
  const baskets = useQuery({ ...basketsQuery(), enabled: kind === "baskets" });
  const query = { machines, coffees, grinders, baskets }[kind];
  const lines: Line[] | undefined = {
    machines: machines.data?.map((one) => line(one, controlWords(one.control.kind))),
    coffees: coffees.data?.map((one) => line(one, leftWords(one.bags[0]?.remaining_g, one.roast))),
    grinders: grinders.data?.map((one) =>
      line(one, `${one.settings[0]} to ${one.settings.at(-1)}`),
    ),
    baskets: baskets.data?.map((one) => line(one, `${one.least_g} to ${one.most_g} g`)),
  }[kind];
  return { query, lines };
}

function line(one: { id: number; name: string }, hint: string): Line {
  return { id: one.id, name: one.name, hint };
}

function leftWords(remaining: number | null | undefined, roast: string) {
  return remaining == null ? roast : `${roast}, ${remaining.toFixed(0)} g left`;
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
    <div className="shelf-columns">
      <div>
        <ul className="shelf-list" aria-label={`Every ${one}`}>
          {lines.map((other) => (
            <li key={other.id}>
              <Link
                to={`/shelf/${kind}/${other.id}`}
                aria-current={other.id === number ? "page" : undefined}
              >
                <span className="min-w-0 truncate">{other.name}</span>
                <span className="hint">{other.hint}</span>
              </Link>
            </li>
          ))}
        </ul>
        <Link to={`/shelf/${kind}/new`} className="btn mt-2" aria-current={fresh || undefined}>
          New {one}
        </Link>
      </div>
      <Page key={`${kind}-${id}`} kind={kind} id={number} />
    </div>
  );
}

function Page({ kind, id }: { kind: Kind; id: number | undefined }) {
  if (kind === "machines") return <MachinePage id={id} />;
  if (kind === "coffees") return <CoffeePage id={id} />;
  if (kind === "grinders") return <GrinderPage id={id} />;
  return <BasketPage id={id} />;
}

import { useSearchParams } from "react-router";
import type { TrailSummary } from "../../api/client";
import type { TrailFilter } from "../../api/queries";
import { Choice } from "../../ui/Choice";
import { styles } from "../../ui/styles";
import { findingName } from "./names";

const NUMBERS = ["bag_id", "machine_id", "liked_from"] as const;
const WORDS = ["style", "taster", "finding", "word"] as const;
const LIKINGS = [5, 6, 7, 8, 9];
const ANY = "";

/** The filter as it stands in the address. */
export function filterOf(search: URLSearchParams): TrailFilter {
  const found: TrailFilter = {};
  for (const name of NUMBERS) {
    const value = Number(search.get(name) || Number.NaN);
    if (Number.isInteger(value)) found[name] = value;
  }
  for (const name of WORDS) {
    const value = search.get(name);
    if (value) found[name] = value;
  }
  return found;
}

const day = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short" });

/** What the shots are filtered by: only what some shot of the coffee has. */
export function Filters({ choices }: { choices: TrailSummary["choices"] }) {
  const [search, setSearch] = useSearchParams();
  const put = (name: string, value: string) =>
    setSearch(
      (old) => {
        if (value === ANY) old.delete(name);
        else old.set(name, value);
        return old;
      },
      { replace: true },
    );
  const bag = (one: (typeof choices.bags)[number]) =>
    one.roasted_on ? `roasted ${day.format(new Date(one.roasted_on))}` : `bag ${one.id}`;
  const lists: [name: string, label: string, any: string, options: [string, string][]][] = [
    ["bag_id", "Bag", "any bag", choices.bags.map((one) => [String(one.id), bag(one)])],
    [
      "machine_id",
      "Machine",
      "any machine",
      choices.machines.map((one) => [String(one.id), one.name]),
    ],
    ["style", "Style", "any style", choices.styles.map((one) => [one, one.replaceAll("-", " ")])],
    ["taster", "Taster", "any taster", choices.tasters.map((one) => [one, one])],
    [
      "liked_from",
      "Liked",
      "liked or not",
      choices.tasters.length ? LIKINGS.map((one) => [String(one), `liked ${one} or more`]) : [],
    ],
    ["finding", "Finding", "any finding", choices.findings.map((one) => [one, findingName(one)])],
    ["word", "Flavour word", "any word", choices.words.map((one) => [one, one])],
  ];
  const asked = lists.some(([name]) => search.has(name));
  const useful = lists.filter(
    ([name, , , options]) =>
      search.has(name) || options.length > (name === "bag_id" || name === "machine_id" ? 1 : 0),
  );
  return (
    <fieldset className="flex flex-wrap items-center gap-1.5" aria-label="Filters">
      {useful.map(([name, label, any, options]) => (
        <Choice
          key={name}
          label={label}
          value={search.get(name) ?? ANY}
          options={[
            { value: ANY, words: any },
            ...options.map(([value, words]) => ({ value, words })),
          ]}
          onChange={(value) => put(name, value)}
        />
      ))}
      {asked && (
        <button
          type="button"
          className={styles.word}
          onClick={() => setSearch({}, { replace: true })}
        >
          Show all
        </button>
      )}
    </fieldset>
  );
}

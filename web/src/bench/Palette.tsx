import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { type UseQueryOptions, useQueries, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import {
  basketsQuery,
  coffeesQuery,
  grindersQuery,
  machinesQuery,
  profilesQuery,
  shotsQuery,
} from "../api/queries";
import { useChangeBench } from "../api/useChangeBench";
import { moment } from "../ui/format";
import { GLOSSARY } from "../ui/glossary";
import { Key } from "../ui/Key";
import { Modal } from "../ui/Modal";
import { cn, styles } from "../ui/styles";
import { keyWords, useActionLists } from "./actions";
import { useOverlay } from "./overlay";
import { useSettings } from "./settings";

interface Entry {
  id: string;
  words: string;
  hint: string;
  key?: string;
  run: () => void;
}

const MOST = 12;

/** Everything one can do or go to, by typing a part of its name. */
export function Palette() {
  const { shown, close } = useOverlay();
  return (
    <Modal open={shown === "palette"} close={close} className="max-w-lg p-2">
      {shown === "palette" && <Search close={close} />}
    </Modal>
  );
}

function Search({ close }: { close: () => void }) {
  const [text, setText] = useState("");
  const [entered, setEntered] = useState(false);
  const reading = useReading();
  const entries = useEntries();
  // All at once: what comes later would change what Enter means.
  const found = reading ? [] : matching(entries, text).slice(0, MOST);
  const choose = (entry: Entry | null | undefined) => {
    if (!entry) return;
    close();
    entry.run();
  };
  useEffect(() => {
    if (!entered || reading) return;
    setEntered(false);
    choose(found[0]);
  });
  return (
    <Combobox<Entry | null> immediate value={null} onChange={choose}>
      {({ activeOption }) => (
        <>
          <ComboboxInput
            autoFocus
            aria-label="Search"
            placeholder="A profile, shot, coffee, machine, setting, term or action"
            className={cn(styles.textField, "h-10 w-full text-[15px]")}
            data-ui="field"
            onChange={(event) => setText(event.target.value)}
            onKeyDown={(event) => {
              if (event.key !== "Enter" || event.nativeEvent.isComposing) return;
              event.preventDefault(); // ours alone: of two who choose, both may, or neither
              if (reading) setEntered(true);
              // Typed faster than the list follows: the first one is meant.
              choose(found.find((entry) => entry.id === activeOption?.id) ?? found[0]);
            }}
          />
          <ComboboxOptions static className="mt-2 max-h-[50vh] overflow-y-auto" modal={false}>
            {found.map((entry) => (
              <ComboboxOption
                key={entry.id}
                value={entry}
                className="flex cursor-pointer items-baseline justify-between gap-4 rounded-sm px-3 py-1.5 data-focus:bg-tint"
              >
                <span className="min-w-0 truncate">{entry.words}</span>
                <span className="shrink-0 text-quiet">
                  {entry.hint} {entry.key && <Key>{keyWords(entry.key)}</Key>}
                </span>
              </ComboboxOption>
            ))}
            {found.length === 0 && (
              <p className="px-3 py-2 text-quiet">{reading ? "Loading" : "No results."}</p>
            )}
          </ComboboxOptions>
        </>
      )}
    </Combobox>
  );
}

function useEntries(): Entry[] {
  const lists = useActionLists((state) => state.lists);
  const actions = Object.values(lists)
    .flat()
    .filter((action) => !action.disabled && action.id !== "palette")
    .map((action) => ({ ...action, hint: action.group === "Go to" ? "view" : "action" }));
  return [
    ...actions,
    ...useStored(),
    ...useShelved(),
    ...useSettings().map((one) => ({ ...one, id: `setting-${one.id}`, hint: "setting" })),
    ...useTerms(),
  ];
}

const STORED = [
  profilesQuery,
  shotsQuery,
  coffeesQuery,
  grindersQuery,
  machinesQuery,
  basketsQuery,
] as const;

/** Whether something to find is still on its way; with the server away what is here must do. */
function useReading() {
  const queries = useQueries({ queries: STORED.map((query) => query() as UseQueryOptions) });
  return queries.some((query) => query.isPending && query.failureCount === 0);
}

/** Profiles and shots. */
function useStored(): Entry[] {
  const profiles = useQuery(profilesQuery());
  const shots = useQuery(shotsQuery());
  const navigate = useNavigate();
  return [
    ...(profiles.data ?? []).map((profile) => ({
      id: `profile-${profile.id}`,
      words: profile.name,
      hint: "profile",
      run: () => navigate(`/plan/${profile.id}`),
    })),
    ...(shots.data ?? []).map((shot) => ({
      id: `shot-${shot.id}`,
      words: `${shot.profile_name} v${shot.number}, ${moment(shot.started_at)}`,
      hint: "shot",
      run: () => navigate(`/taste/${shot.id}`),
    })),
  ];
}

/** What is on the shelf, to look at or to put on the bench. */
function useShelved(): Entry[] {
  const coffees = useQuery(coffeesQuery()).data ?? [];
  const grinders = useQuery(grindersQuery()).data ?? [];
  const machines = useQuery(machinesQuery()).data ?? [];
  const baskets = useQuery(basketsQuery()).data ?? [];
  const navigate = useNavigate();
  const change = useChangeBench();
  const kinds = [
    { kind: "coffee", field: "coffee_id", things: coffees },
    { kind: "grinder", field: "grinder_id", things: grinders },
    { kind: "machine", field: "machine_id", things: machines },
    { kind: "basket", field: "basket_id", things: baskets },
  ] as const;
  return kinds.flatMap(({ kind, field, things }) =>
    things.flatMap((one) => [
      {
        id: `${kind}-${one.id}`,
        words: one.name,
        hint: kind,
        run: () => navigate(`/shelf/${kind}s/${one.id}`),
      },
      {
        id: `use-${kind}-${one.id}`,
        words: `Use ${one.name} on the bench`,
        hint: kind,
        run: () => change.mutate({ [field]: one.id }),
      },
    ]),
  );
}

function useTerms(): Entry[] {
  const open = useOverlay((state) => state.open);
  return GLOSSARY.map((one) => ({
    id: `term-${one.id}`,
    words: one.term,
    hint: "term",
    run: () => open("glossary", one.id),
  }));
}

/** Entries that hold every word typed, those that begin with them first. */
function matching(entries: Entry[], text: string) {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  return entries
    .filter((entry) => {
      const said = `${entry.words} ${entry.hint}`.toLowerCase();
      return words.every((word) => said.includes(word));
    })
    .sort((a, b) => rank(b, text) - rank(a, text));
}

/** What begins with the text comes first, then what has a word that does. */
function rank(entry: Entry, text: string) {
  const [said, typed] = [entry.words.toLowerCase(), text.toLowerCase().trim()];
  if (typed === "") return 0;
  if (said.startsWith(typed)) return 2;
  return said.includes(` ${typed}`) ? 1 : 0;
}

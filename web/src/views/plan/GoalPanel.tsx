import { useMutation, useQuery } from "@tanstack/react-query";
import { Plus, X } from "lucide-react";
import { useState } from "react";
import { type Adjustable, answered, client, type Sought, type Want } from "../../api/client";
import { adjustablesQuery, benchQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { useChangeBench } from "../../api/useChangeBench";
import { useSetup } from "../../api/useSetup";
import { RELATIONS, type Relation, WANTABLE, wantParts } from "../../profile/figures";
import { asProfile, type LooseProfile, loosened, replaced } from "../../profile/loose";
import type { Planned } from "../../profile/usePlanned";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { plain } from "../../ui/format";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { styles } from "../../ui/styles";
import { amount, readUnit } from "../../ui/units";
import { Offered } from "./Offered";

interface Wanted {
  figure: Want["figure"];
  relation: Relation;
  value: Typed;
}

const FIRST: Wanted = { figure: "shot_time_s", relation: "at", value: 28 };
const MOST_WANTS = 3;

/** Say what the shot should do and which numbers may move for it; the engine finds the values. */
export function GoalPanel({ planned }: { planned: Planned }) {
  const { profile } = planned;
  const bench = useQuery(benchQuery());
  const goals = (bench.data?.goals ?? []).map(wantedOf);
  const [typed, setWants] = useState<Wanted[]>();
  const wants = typed ?? (goals.length > 0 ? goals.slice(0, MOST_WANTS) : [FIRST]);
  const [moves, setMoves] = useState<string[]>(["setup.grind_um"]);
  const [about, setAbout] = useState<LooseProfile>();
  const setup = useSetup();
  const adjustables = useQuery(adjustablesQuery(setup, profile, Boolean(setup)));
  const known = adjustables.data ?? [];
  const chosen = moves.filter((what) => known.some((one) => one.what === what));
  const seek = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/bench/goal", {
          body: {
            profile: asProfile(profile),
            wants: wants.map(wantOf),
            moves: chosen.map((what) => ({ what })),
          },
        }),
      ),
  });
  if (seek.data && about === profile)
    return (
      <section className={styles.editor} data-ui="editor" aria-label="Reach a goal">
        <Reached sought={seek.data} planned={planned} leave={() => seek.reset()} />
      </section>
    );
  return (
    <section className={styles.editor} data-ui="editor" aria-label="Reach a goal">
      {wants.map((want, i) => (
        <WantRow
          key={want.figure}
          want={want}
          first={i === 0}
          set={(next) => setWants(replaced(wants, i, next))}
          remove={
            wants.length > 1 ? () => setWants(wants.filter((one) => one !== want)) : undefined
          }
        />
      ))}
      <div className={styles.row}>
        <span className="leading-7">by moving</span>
        {chosen.map((what, i) => (
          <MoveChoice
            key={what}
            what={what}
            known={known}
            taken={chosen}
            set={(next) => setMoves(replaced(chosen, i, next))}
          />
        ))}
        {chosen.length < 2 && (
          <MoveChoice
            what=""
            known={known}
            taken={chosen}
            set={(next) => setMoves([...chosen, next])}
          />
        )}
        {wants.length < MOST_WANTS && (
          <Button onClick={() => setWants([...wants, nextWant(wants)])}>
            <Plus size={14} aria-hidden="true" /> and
          </Button>
        )}
        <Button
          className="ml-auto"
          disabled={seek.isPending || chosen.length === 0}
          onClick={() => {
            setAbout(profile);
            seek.mutate();
          }}
        >
          {seek.isPending ? "Searching" : "Search"}
        </Button>
      </div>
      {seek.error && <FieldError>{failureWords(seek.error) ?? ""}</FieldError>}
      {adjustables.error && <FieldError>{failureWords(adjustables.error) ?? ""}</FieldError>}
    </section>
  );
}

function wantedOf(want: Want): Wanted {
  return { figure: want.figure, ...wantParts(want) };
}

function wantOf({ figure, relation, value }: Wanted): Want {
  return { figure, [relation]: value } as Want;
}

function nextWant(wants: Wanted[]): Wanted {
  const free = WANTABLE.find((one) => !wants.some((want) => want.figure === one.value));
  return { figure: free?.value ?? "extraction_yield_pct", relation: "at", value: null };
}

function WantRow(props: {
  want: Wanted;
  first: boolean;
  set: (want: Wanted) => void;
  remove: (() => void) | undefined;
}) {
  const { want, first, set, remove } = props;
  const figure = WANTABLE.find((one) => one.value === want.figure);
  return (
    <div className={styles.row}>
      <span className="w-20 leading-7">{first ? "I want" : "and"}</span>
      <Choice
        label="Figure"
        value={want.figure}
        options={WANTABLE}
        onChange={(next) => set({ ...want, figure: next })}
      />
      <Choice
        label="Relation"
        value={want.relation}
        options={RELATIONS}
        onChange={(relation) => set({ ...want, relation })}
      />
      <NumberField
        label={`Wanted ${figure?.words ?? ""}`}
        value={want.value}
        step={figure?.step ?? 0.1}
        unit={figure?.unit}
        onChange={(value) => set({ ...want, value })}
      />
      <span className="leading-7">{readUnit(figure?.unit ?? "")}</span>
      {remove && (
        <Button className="px-1.5!" aria-label="Remove this want" onClick={remove}>
          <X size={14} aria-hidden="true" />
        </Button>
      )}
    </div>
  );
}

function MoveChoice(props: {
  what: string;
  known: Adjustable[];
  taken: string[];
  set: (what: string) => void;
}) {
  const { what, known, taken, set } = props;
  const options = known.map((one) => ({
    value: one.what,
    words: `${one.name}, now ${amount(one.value, one.unit)}`,
    button: one.name,
    disabled: one.what !== what && taken.includes(one.what),
  }));
  return (
    <Choice
      label={what ? "Moves" : "Moves also"}
      value={what}
      options={
        what
          ? options
          : [{ value: "", words: "or also, nothing else", button: "or also" }, ...options]
      }
      onChange={(next) => next && set(next)}
    />
  );
}

function Reached(props: { sought: Sought; planned: Planned; leave: () => void }) {
  const { sought, planned, leave } = props;
  const { found, change } = sought;
  const bench = useChangeBench();
  const values = Object.entries(change).filter(([, value]) => value != null);
  const take = () => {
    const next = loosened(found.plan.profile);
    planned.edit("", next);
    if (values.length > 0) bench.mutate(Object.fromEntries(values));
    leave();
  };
  const setting = change.grind_setting;
  return (
    <Offered
      profileId={planned.id}
      words={found.words.replace(/\.$/, "")}
      effects={found.wants.map((want) => reachedWords(want.figure, want.value))}
      prediction={sought.prediction}
      reached={found.reached}
      take={take}
      leave={leave}
    >
      {setting != null && <p className="text-quiet">On the grinder that is {plain(setting)}.</p>}
    </Offered>
  );
}

function reachedWords(figure: string, value: number | null | undefined) {
  const known = WANTABLE.find((one) => one.value === figure);
  return `${known?.words ?? figure} ${value == null ? "never" : amount(value, known?.unit ?? "")}`;
}

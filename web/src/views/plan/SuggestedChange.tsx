import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { benchQuery } from "../../api/queries";
import { useChangeBench } from "../../api/useChangeBench";
import { withLevel, withOver } from "../../profile/edits";
import { type LooseProfile, replaced } from "../../profile/loose";
import type { Planned } from "../../profile/usePlanned";
import { unitOf } from "../../profile/words";
import { Button } from "../../ui/Button";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { amount, readUnit } from "../../ui/units";

interface Wanted {
  /** What the number is called, what it is now, and its unit. */
  name: string;
  now: Typed;
  unit: string;
  apply: (value: number) => void;
}

/**
 * A number that a finding suggests for the open phase, or for the grind: it stands in its own field,
 * and nothing is applied until the user does.
 */
export function SuggestedChange({ planned }: { planned: Planned }) {
  const [search, setSearch] = useSearchParams();
  const suggested = search.get("suggest");
  const phase = search.get("phase");
  const leave = () => setSearch(phase === null ? {} : { phase }, { replace: true });
  if (suggested === null) return null;
  return (
    <Offered
      key={search.toString()}
      planned={planned}
      number={suggested}
      phase={Number(phase ?? 0)}
      exit={Number(search.get("exit") ?? 0)}
      value={Number(search.get("value"))}
      shot={search.get("from")}
      leave={leave}
    />
  );
}

function Offered(props: {
  planned: Planned;
  number: string;
  phase: number;
  exit: number;
  value: number;
  shot: string | null;
  leave: () => void;
}) {
  const { planned, number, shot, leave } = props;
  const [value, setValue] = useState<Typed>(Number.isFinite(props.value) ? props.value : null);
  const grind = useGrind();
  const wanted = number === "grind_um" ? grind : wantedOf(planned, number, props.phase, props.exit);
  const name = planned.profile.phases[props.phase]?.name;
  return (
    <form
      className="flex flex-wrap items-center gap-x-2 gap-y-1 border-t-2 border-t-warn bg-tint px-4 py-2"
      aria-label="Suggested change"
      onSubmit={(event) => {
        event.preventDefault();
        if (!wanted || typeof value !== "number") return;
        wanted.apply(value);
        leave();
      }}
    >
      <b className="text-warn">Shot {shot} suggests</b>
      {wanted ? (
        <>
          <span>
            {number === "grind_um" ? wanted.name : `${name}: ${wanted.name}`}{" "}
            {wanted.now !== null && (
              <span className="text-quiet">
                {typeof wanted.now === "number"
                  ? amount(wanted.now, wanted.unit)
                  : `${wanted.now} ${readUnit(wanted.unit)}`}{" "}
                now
              </span>
            )}
          </span>
          <NumberField
            label={`Suggested ${wanted.name}`}
            value={value}
            unit={wanted.unit}
            onChange={setValue}
            autoFocus
            error={typeof value === "number" ? undefined : "a number"}
          />
          <span>{readUnit(wanted.unit)}</span>
          <Button type="submit" disabled={typeof value !== "number"}>
            Apply
          </Button>
        </>
      ) : (
        <FieldError>a change of a phase this version no longer has; nothing is changed.</FieldError>
      )}
      <Button onClick={leave}>Dismiss</Button>
      <span className="text-quiet">Not applied yet.</span>
    </form>
  );
}

/** The grinder's setting on the bench. */
function useGrind(): Wanted | undefined {
  const bench = useQuery(benchQuery()).data;
  const change = useChangeBench();
  if (!bench?.grinder) return undefined;
  return {
    name: `grind on ${bench.grinder.name}`,
    now: bench.grind_setting,
    unit: "",
    apply: (grind_setting) => change.mutate({ grind_setting }),
  };
}

/** One number of a phase; undefined where this version has no such number. */
function wantedOf(
  planned: Planned,
  number: string,
  index: number,
  place: number,
): Wanted | undefined {
  const { profile } = planned;
  const phase = profile.phases[index];
  if (!phase) return undefined;
  const edit = (field: string, next: LooseProfile) =>
    planned.edit(`phases.${index}.${field}`, next);
  if (number === "over") {
    return {
      name: "moves over",
      now: phase.over,
      unit: "s",
      apply: (value) => edit("over", withOver(profile, index, value)),
    };
  }
  if (number === "exit") {
    const exit = phase.exits[place];
    if (exit?.when !== "seconds") return undefined;
    return {
      name: "lasts",
      now: exit.value ?? null,
      unit: "s",
      apply: (value) => {
        const exits = replaced(phase.exits, place, { ...exit, value });
        edit("exits", {
          ...profile,
          phases: replaced(profile.phases, index, { ...phase, exits }),
        });
      },
    };
  }
  const end = number === "command.from" ? "from" : "to";
  const now = phase.command[end];
  if (now === undefined || now === null) return undefined;
  const level = phase.command.from === phase.command.to;
  return {
    name: level ? "level" : end === "to" ? "ends at" : "starts at",
    now,
    unit: unitOf(phase.command.control),
    apply: (value) => edit("command", withLevel(profile, index, level ? "level" : end, value)),
  };
}

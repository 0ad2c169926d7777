import { useState } from "react";
import type { Attribute, Seat } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { cn } from "../../../ui/styles";
import { cupName, placesOf, type Step } from "./steps";
import type { SayAnything } from "./useSeat";

type ChoiceOf = Extract<Step, { is: "choice" }>;

/** Which is odd, which is preferred, or in which order. */
export function ChoiceStep(props: {
  step: ChoiceOf;
  seat: Seat;
  named: (field: string) => Attribute | undefined;
  say: SayAnything;
  next: () => void;
}) {
  const { step, seat, named, say, next } = props;
  const places = placesOf(seat, step) ?? {};
  const tell = (given: Record<string, number>) =>
    say({
      kind: "choice",
      at: Date.now(),
      said: { round: step.round, question: step.question, places: given },
    });
  const rounds = Math.max(...seat.cups.map((cup) => cup.round));
  return (
    <section aria-label={questionWords(step, named)} className="mt-6">
      {rounds > 1 && (
        <p className="text-center text-quiet">
          Round {step.round} of {rounds}
        </p>
      )}
      <h1 className="mt-1 text-center">{questionWords(step, named)}</h1>
      <p className="mt-1 text-center text-quiet">Taste from left to right.</p>
      {step.question === "rank" ? (
        <Rank step={step} places={places} tell={tell} />
      ) : (
        <div className="mt-5 flex gap-2">
          {step.cups.map((cup) => (
            <button
              key={cup.number}
              type="button"
              aria-pressed={places[cup.number] === 1 && !tied(places)}
              onClick={() => {
                tell(chosen(step, cup.number));
                next();
              }}
              className={cn(
                "min-h-24 min-w-0 flex-1 rounded-sm border border-edge bg-sheet font-mono text-[26px] font-medium break-words hover:bg-tint",
                places[cup.number] === 1 &&
                  !tied(places) &&
                  "border-action bg-action text-on-action hover:bg-action",
              )}
            >
              {cupName(cup)}
            </button>
          ))}
        </div>
      )}
      {step.question !== "rank" && step.question !== "odd" && (
        <Button
          className={cn("mt-3 min-h-12 w-full", tied(places) && "bg-tint")}
          aria-pressed={tied(places)}
          onClick={() => {
            tell(Object.fromEntries(step.cups.map((cup) => [cup.number, 1])));
            next();
          }}
        >
          I cannot tell
        </Button>
      )}
      {step.question === "odd" && (
        <p className="mt-3 text-center text-quiet">
          If you cannot tell, guess: chance is taken into account.
        </p>
      )}
    </section>
  );
}

function tied(places: Record<string, number>) {
  const given = Object.values(places);
  return given.length > 1 && given.every((place) => place === 1);
}

function chosen(step: ChoiceOf, cupId: number): Record<string, number> {
  if (step.question === "odd") return { [cupId]: 1 };
  return Object.fromEntries(step.cups.map((cup) => [cup.number, cup.number === cupId ? 1 : 2]));
}

function questionWords(step: ChoiceOf, named: (field: string) => Attribute | undefined) {
  if (step.question === "odd") return "Which one is odd?";
  if (step.question === "rank") return "Put them in order";
  if (step.question === "preferred") return "Which do you prefer?";
  return `Which is ${named(step.question)?.more ?? step.question}?`;
}

const ORDINALS = ["1st", "2nd", "3rd", "4th", "5th", "6th"];

/** A place for every cup; the same place twice is a tie. */
function Rank(props: {
  step: ChoiceOf;
  places: Record<string, number>;
  tell: (places: Record<string, number>) => void;
}) {
  const { step, tell } = props;
  // Half an order is no answer yet: it stands here until every cup has its place.
  const [places, setPlaces] = useState<Record<string, number>>(props.places);
  const give = (cupId: number, place: number) => {
    const given: Record<string, number> = { ...places, [cupId]: place };
    setPlaces(given);
    if (step.cups.every((cup) => given[cup.number] !== undefined)) tell(given);
  };
  const left = step.cups.filter((cup) => places[cup.number] === undefined).length;
  return (
    <div className="mt-4 grid gap-2">
      {step.cups.map((cup) => (
        <div key={cup.number} className="flex items-center gap-2">
          <span className="w-20 shrink-0 font-mono text-[22px] font-medium break-words">
            {cupName(cup)}
          </span>
          <fieldset className="flex min-w-0 flex-1 gap-1" aria-label={`Place of ${cupName(cup)}`}>
            {step.cups.map((_, i) => (
              <button
                key={ORDINALS[i]}
                type="button"
                aria-pressed={places[cup.number] === i + 1}
                onClick={() => give(cup.number, i + 1)}
                className={cn(
                  "h-12 min-w-0 flex-1 rounded-sm border border-edge bg-sheet font-medium hover:bg-tint",
                  places[cup.number] === i + 1 &&
                    "border-action bg-action text-on-action hover:bg-action",
                )}
              >
                {ORDINALS[i]}
              </button>
            ))}
          </fieldset>
        </div>
      ))}
      <p className="text-center text-quiet">
        {left > 0 ? "1st is the best; the same place twice is a tie." : "Ranked."}
      </p>
    </div>
  );
}

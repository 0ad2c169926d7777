import type { Seat } from "../../../api/client";

type Cup = Seat["cups"][number];
type Warmth = Seat["warmths"][number];
type Line = Seat["lines"][number];
type Question = Seat["questions"][number];

/** One thing asked of a taster: a score, words on a cup, or a choice among the cups of a round. */
export type Step =
  | { is: "score"; id: string; cup: Cup; warmth: Warmth; line: Line }
  | { is: "words"; id: string; cup: Cup; warmth: Warmth }
  | { is: "choice"; id: string; round: number; question: Question; cups: Cup[] };

/** Everything asked, in order: warmth by warmth, cup by cup, one scale at a time. */
export function stepsOf(seat: Seat): Step[] {
  const cups = seat.cups.filter((cup) => !cup.withdrawn);
  if (seat.kind === "describe")
    return seat.warmths.flatMap((warmth) =>
      cups.flatMap((cup): Step[] => [
        ...seat.lines.map(
          (line): Step => ({
            is: "score",
            id: `${warmth}-${cup.number}-${line}`,
            cup,
            warmth,
            line,
          }),
        ),
        { is: "words", id: `${warmth}-${cup.number}-words`, cup, warmth },
      ]),
    );
  const rounds = [...new Set(seat.cups.map((cup) => cup.round))];
  return rounds.flatMap((round) => {
    const served = seat.cups.filter((cup) => cup.round === round);
    const spoilt = served.some((cup) => cup.withdrawn);
    if (spoilt && seat.kind !== "rank") return [];
    return seat.questions.map(
      (question): Step => ({
        is: "choice",
        id: `${round}-${question}`,
        round,
        question,
        cups: served.filter((cup) => !cup.withdrawn),
      }),
    );
  });
}

export function pointsOf(seat: Seat, step: Extract<Step, { is: "score" }>) {
  return seat.scores.find(
    (one) => one.cup === step.cup.number && one.warmth === step.warmth && one.line === step.line,
  )?.points;
}

export function remarkOf(seat: Seat, step: Extract<Step, { is: "words" }>) {
  return seat.remarks.find((one) => one.cup === step.cup.number && one.warmth === step.warmth);
}

export function placesOf(seat: Seat, step: Extract<Step, { is: "choice" }>) {
  return seat.choices.find((one) => one.round === step.round && one.question === step.question)
    ?.places;
}

/** Whether a step is answered; words may be left out. */
export function answeredIn(seat: Seat, step: Step) {
  if (step.is === "score") return pointsOf(seat, step) !== undefined;
  if (step.is === "words") return true;
  return Object.keys(placesOf(seat, step) ?? {}).length > 0;
}

/** What a cup is called on the phone. */
export function cupName(cup: Cup) {
  return cup.code ?? cup.name ?? `cup ${cup.position}`;
}

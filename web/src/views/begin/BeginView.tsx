import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { chooseBench } from "../../api/benchChoice";
import { type Answers, ApiError, answered, client, type Prediction } from "../../api/client";
import { beginForecastQuery, beginningQuery, beginStylesQuery, formQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { answersAt, answersBefore, PARTS, type Part, useBeginning } from "../../bench/beginning";
import { partTitle } from "../../bench/beginningWords";
import { Button } from "../../ui/Button";
import { Key } from "../../ui/Key";
import { FieldError } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";
import { AnswerRail } from "./AnswerRail";
import { useAnswering } from "./answering";
import { BeginChart } from "./BeginChart";
import { BeginColumn } from "./BeginColumn";
import { BasketEditor, CoffeeEditor, DrinkEditor, GrinderEditor, MachineEditor } from "./Editors";
import { StyleStep } from "./StyleStep";
import { type BeginNow, useBeginForecast } from "./useBeginForecast";

/** Your bench in five answers: each narrows a plain shot's forecast; then a style to begin with. */
export function BeginView() {
  const { answers, step, another, say, go } = useBeginning();
  useWhichBench();
  const now = useMemo(() => answersAt(answers, step), [answers, step]);
  const before = useMemo(() => answersBefore(answers, step), [answers, step]);
  const forecast = useBeginForecast(now);
  const members = useQuery(formQuery()).data?.members ?? 0;
  const old = useQuery({
    ...beginForecastQuery(before, members),
    enabled: members > 1 && step < PARTS.length,
  }).data;
  const [style, choose] = useState<string>();
  const setUp = useSetUp(now, style);
  const refused = [...forecast.problems, ...setUp.problems];
  const faulty = new Set(PARTS.filter((part) => refused.some((one) => concerns(one.field, part))));
  const open = PARTS[step];
  const next = (event?: FormEvent) => {
    event?.preventDefault();
    if (!open) return setUp.run("pull");
    if (faulty.has(open)) return focusFault();
    const answer = now[open];
    if (answers[open] === undefined && answer) say(open, answer);
    go(step + 1);
  };
  const back = (event: KeyboardEvent) => {
    if (event.key !== "Enter" || !event.shiftKey) return;
    event.preventDefault();
    go(step - 1);
  };
  const form = useFocusOnStep(step);
  return (
    <form ref={form} className={styles.plan} onSubmit={next} onKeyDown={back} noValidate>
      <main className={styles.planMain}>
        <Head another={another} more={step < PARTS.length} leave={() => go(PARTS.length)} />
        <section className={cn(styles.sheet, "min-h-160")} aria-label="Your bench">
          <BeginChart now={forecast.forecast} before={open ? old : undefined} />
          <AnswerRail answers={answers} step={step} faulty={faulty} go={go} />
          <div
            className={cn(styles.editor, "content-start min-h-45")}
            data-editor={open ?? "style"}
          >
            {open ? (
              <Question key={open} part={open} forecast={forecast} refused={refused} />
            ) : (
              <StyleStep answers={now} chosen={style} choose={choose} />
            )}
            {open && (
              <Foot
                part={open}
                words={narrowed(old, forecast)}
                leave={() => {
                  say(open, null);
                  go(step + 1);
                }}
              />
            )}
          </div>
        </section>
      </main>
      <BeginColumn now={forecast.forecast} before={open ? old : undefined} answers={now}>
        {forecast.error && <FieldError>{forecast.error.message}</FieldError>}
        {setUp.words && <FieldError>{setUp.words}</FieldError>}
        <div className={styles.columnFoot}>
          {!open && (
            <Button disabled={setUp.pending} onClick={() => setUp.run("plan")}>
              Look at it in Plan first
            </Button>
          )}
          <Button kind="main" type="submit" disabled={setUp.pending}>
            {goWords(step, now)} <Key>Enter</Key>
          </Button>
        </div>
      </BeginColumn>
    </form>
  );
}

/** Whether a refused field is in a part of the answers. */
function concerns(field: string, part: Part) {
  return field.startsWith(`answers.${part}.`) || field === `answers.${part}`;
}

function focusFault() {
  document.querySelector<HTMLElement>("[data-editor] [aria-invalid=true]")?.focus();
}

/** The first bench while nothing is on it, else another. */
function useWhichBench() {
  const empty = useQuery(beginningQuery()).data?.empty;
  const begin = useBeginning((state) => state.begin);
  useEffect(() => {
    if (empty !== undefined) begin(!empty);
  }, [empty, begin]);
}

/** What is asked comes into view and takes the keys: the first field of a step. */
function useFocusOnStep(step: number) {
  const form = useRef<HTMLFormElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: with each step
  useEffect(() => {
    const editor = form.current?.querySelector<HTMLElement>("[data-editor]");
    const first =
      editor?.querySelector<HTMLElement>("input:checked") ??
      editor?.querySelector<HTMLElement>("input, button");
    first?.focus({ preventScroll: true });
    editor?.scrollIntoView({ block: "nearest" });
  }, [step]);
  return form;
}

function Head({ another, more, leave }: { another: boolean; more: boolean; leave: () => void }) {
  return (
    <div className={styles.planHead}>
      <div className="flex flex-wrap items-center justify-between gap-2">
        <h1>{another ? "Another bench" : "Your bench"}</h1>
        {more && <Button onClick={leave}>Use the usual for the rest</Button>}
      </div>
      <p className="mt-0.5">
        Five answers and the forecast is yours.{" "}
        <span className="text-quiet">
          Every one can be left open: the range stays wider, and shots will teach it.
        </span>{" "}
        {!another && (
          <Link className={styles.word} to="/plan?plain">
            A plain profile instead
          </Link>
        )}
      </p>
    </div>
  );
}

function Question(props: { part: Part; forecast: BeginNow; refused: BeginNow["problems"] }) {
  const { part, forecast, refused } = props;
  const of = useAnswering(part, refused);
  switch (part) {
    case "machine":
      return <MachineEditor of={of} />;
    case "grinder":
      return <GrinderEditor of={of} />;
    case "coffee":
      return <CoffeeEditor of={of} rested={forecast.forecast?.rest_days} />;
    case "basket":
      return <BasketEditor of={of} />;
    case "drink":
      return <DrinkEditor of={of} yield_g={forecast.forecast?.yield_g} />;
  }
}

function Foot({ part, words, leave }: { part: Part; words: string; leave: () => void }) {
  return (
    <div className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1.5">
      <p role="status" className="text-quiet">
        {words}
      </p>
      <span className="flex items-center gap-3 text-quiet">
        <span className="pointer-coarse:hidden">
          <Key>Enter</Key> next, <Key>Shift Enter</Key> back
        </span>
        <Button onClick={leave}>Leave the {partTitle(part).toLowerCase()} open</Button>
      </span>
    </div>
  );
}

/** What the open answer narrows most, in its unit. */
function narrowed(old: BeginNow["forecast"], { forecast }: BeginNow) {
  if (!old || !forecast) return "";
  const told = NARROWED.flatMap(({ name, of, unit, digits }) => {
    const [was, is] = [of(old.prediction), of(forecast.prediction)];
    if (was.p10 === null || was.p90 === null || is.p10 === null || is.p90 === null) return [];
    const range = (low: number, high: number) =>
      `${low.toFixed(digits)} to ${high.toFixed(digits)} ${unit}`;
    const share = was.p90 > was.p10 ? (is.p90 - is.p10) / (was.p90 - was.p10) : 1;
    const words = `the ${name} from ${range(was.p10, was.p90)} to ${range(is.p10, is.p90)}`;
    return [{ share, words }];
  });
  const most = told.toSorted((a, b) => a.share - b.share)[0];
  return most && most.share < LEAST_NARROWED
    ? `This answer narrows ${most.words}.`
    : "This answer leaves the ranges about as they were.";
}

const LEAST_NARROWED = 0.97;
const NARROWED = [
  { name: "shot time", of: (p: Prediction) => p.shot_time_s, unit: "s", digits: 0 },
  { name: "first drip", of: (p: Prediction) => p.first_drip_s, unit: "s", digits: 0 },
  { name: "strength", of: (p: Prediction) => p.tds_pct, unit: "%", digits: 1 },
  { name: "extraction", of: (p: Prediction) => p.extraction_yield_pct, unit: "%", digits: 1 },
] as const;

function goWords(step: number, answers: Answers) {
  const next = PARTS[step + 1];
  if (next) return `Next: ${partTitle(next).toLowerCase()}`;
  if (step < PARTS.length) return "Next: how to begin";
  return answers.machine?.wired === false ? "To the cue sheet" : "To the first pull";
}

/** Put it all on the shelf, then go on where the first draft is pulled, or looked at. */
function useSetUp(answers: Answers, chosen: string | undefined) {
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const { another, go, reset } = useBeginning();
  const set = useMutation({
    mutationFn: async (to: "pull" | "plan") => {
      const best = await queryClient.ensureQueryData(beginStylesQuery(answers));
      const style = chosen ?? best[0]?.key ?? null;
      const begun = await answered(
        client.POST("/api/begin", { body: { answers, style, another } }),
      );
      return { ...begun, to };
    },
    onSuccess: async ({ bench_id, profile_id, to }) => {
      if (another) chooseBench(bench_id);
      await queryClient.invalidateQueries();
      await navigate(to === "pull" ? `/pull/${profile_id}/1` : `/plan/${profile_id}`);
      reset();
    },
    onError: (error) => {
      const problems = error instanceof ApiError ? error.problems : [];
      const at = PARTS.findIndex((part) => problems.some((one) => concerns(one.field, part)));
      if (at >= 0) go(at);
    },
  });
  const problems = set.error instanceof ApiError ? set.error.problems : [];
  return {
    run: set.mutate,
    pending: set.isPending,
    problems,
    words: problems.length ? undefined : failureWords(set.error),
  };
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Check } from "lucide-react";
import { Link, useNavigate } from "react-router";
import { answered, client, type FirstWeek } from "../../api/client";
import { benchQuery, firstWeekQuery, profilesQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { Button, ButtonLink } from "../../ui/Button";
import { Loading, PageError } from "../../ui/Messages";
import { FieldError } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";

type Step = FirstWeek["steps"][number];

/** A first week: five steps on the coffee that stands on the bench, to be left at any time. */
export function FirstWeekView() {
  const week = useQuery(firstWeekQuery());
  if (week.isError && !week.data)
    return <PageError error={week.error} retry={() => week.refetch()} />;
  if (!week.data) return <Loading what="the week" />;
  const { coffee, steps, now, shot_ids } = week.data;
  return (
    <main className="flex min-h-0 flex-1 flex-col overflow-y-auto px-5 pb-6 max-phone:px-3">
      <div className={cn(styles.planHead, "flex flex-wrap items-baseline justify-between gap-2")}>
        <h1>A first week</h1>
        <Link className={styles.word} to="/plan">
          Not now
        </Link>
      </div>
      <p className="max-w-160">
        {coffee === null ? (
          "Choose a coffee in the line above: each step is pulled with it."
        ) : (
          <>
            Five steps with <b>{coffee}</b>, on your own bench. Stay with one coffee and one grind,
            so that only one thing differs. Go at your own pace: what you pull and taste counts
            whenever you do it.
          </>
        )}
      </p>
      <ol className="mt-3 grid max-w-180 gap-2">
        {steps.map((step, i) => (
          <StepLine
            key={step.key}
            step={step}
            place={i + 1}
            open={coffee !== null && step.key === now}
            shots={shot_ids}
          />
        ))}
      </ol>
      {coffee !== null && now === null && (
        <p className="mt-3 max-w-160">
          <b>That is the loop.</b> Plan, pull, read, taste, and change one thing: Trail keeps what
          each change did.
        </p>
      )}
    </main>
  );
}

function StepLine(props: { step: Step; place: number; open: boolean; shots: number[] }) {
  const { step, place, open, shots } = props;
  const done = step.progress === "done";
  return (
    <li
      className={cn(
        "grid grid-cols-[28px_minmax(0,1fr)] gap-x-2 rounded-sm border border-rule bg-sheet px-3 py-2.5",
        open && "border-l-3 border-l-action",
      )}
      data-step={step.key}
      data-progress={step.progress}
      aria-current={open ? "step" : undefined}
    >
      <span
        className={cn(
          "grid h-6 w-6 place-items-center rounded-full border border-edge text-small",
          done && "border-action bg-action text-on-action",
        )}
      >
        {done ? <Check size={14} aria-label="done" /> : place}
      </span>
      <div className="min-w-0">
        <h2>{step.name}</h2>
        <p className={cn(!open && "text-quiet")}>{step.why}</p>
        {open && (
          <>
            <p className="mt-1 text-quiet">
              <b className="text-ink">Look for.</b> {step.look_for}
            </p>
            <StepActions step={step} shots={shots} />
          </>
        )}
        {done && <Outcome step={step} />}
      </div>
    </li>
  );
}

/** What to press for the step at hand. */
function StepActions({ step, shots }: { step: Step; shots: number[] }) {
  const main = "mt-2";
  if (step.key === "blind pair")
    return (
      <ButtonLink kind="main" className={main} to={`/taste/together?shots=${shots.slice(0, 2)}`}>
        Set up a blind pair
      </ButtonLink>
    );
  if (step.key === "one change")
    return (
      <ButtonLink kind="main" className={main} to="/next">
        See what could be changed
      </ButtonLink>
    );
  if (step.progress === "pulled")
    return (
      <span className="mt-2 flex flex-wrap gap-2">
        <ButtonLink kind="main" to={`/taste/${step.shot_id}`}>
          Taste it
        </ButtonLink>
        <ButtonLink className="min-h-10" to={`/read/${step.shot_id}`}>
          Read its curve
        </ButtonLink>
      </span>
    );
  if (step.profile_id !== null)
    return (
      <span className="mt-2 flex flex-wrap gap-2">
        <ButtonLink kind="main" to={`/pull/${step.profile_id}/${step.number}`}>
          Pull it
        </ButtonLink>
        <ButtonLink className="min-h-10" to={`/plan/${step.profile_id}`}>
          See its plan
        </ButtonLink>
      </span>
    );
  return <MakePlan step={step} />;
}

function MakePlan({ step }: { step: Step }) {
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const make = useMutation({
    mutationFn: () => answered(client.POST("/api/first-week/plans", { body: { key: step.key } })),
    onSuccess: async (week) => {
      queryClient.invalidateQueries({ queryKey: firstWeekQuery().queryKey });
      await queryClient.invalidateQueries({ queryKey: benchQuery().queryKey });
      await queryClient.invalidateQueries({ queryKey: profilesQuery().queryKey, exact: true });
      const made = week.steps.find((one) => one.key === step.key);
      if (made?.profile_id) navigate(`/plan/${made.profile_id}`);
    },
  });
  return (
    <>
      <Button kind="main" className="mt-2" disabled={make.isPending} onClick={() => make.mutate()}>
        {make.isPending ? "Fitting it to your bench" : "Make its plan for my bench"}
      </Button>
      {make.error && <FieldError>{failureWords(make.error) ?? ""}</FieldError>}
    </>
  );
}

/** Where what a step came to can be seen. */
function Outcome({ step }: { step: Step }) {
  const to =
    step.session_id !== null
      ? { path: `/taste/together/${step.session_id}`, words: "What the pair said" }
      : { path: `/read/${step.shot_id}`, words: `Shot ${step.shot_id}` };
  return (
    <Link className={styles.word} to={to.path}>
      {to.words}
    </Link>
  );
}

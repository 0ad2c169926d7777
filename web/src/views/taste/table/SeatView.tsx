import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams } from "react-router";
import { ApiError, type Attribute, type Seat } from "../../../api/client";
import { cupCurveQuery, formQuery } from "../../../api/queries";
import { SmallCurve } from "../../../shots/SmallCurve";
import { Button } from "../../../ui/Button";
import { ErrorNote, Loading } from "../../../ui/Messages";
import { FieldError } from "../../../ui/NumberField";
import { styles } from "../../../ui/styles";
import { TextLine } from "../../../ui/TextLine";
import { toggled } from "../../../ui/Tick";
import { ChoiceStep } from "./ChoiceStep";
import { Revealed } from "./Revealed";
import { ScoreStep } from "./ScoreStep";
import { Sheet } from "./Sheet";
import { keepSeatSecret, seatSecret } from "./seatSecret";
import { answeredIn, cupName, type Step, stepsOf } from "./steps";
import { type SayAnything, useSeat } from "./useSeat";
import { type FormWords, WordsStep } from "./WordsStep";

/** A taster's phone: one cup and one question at a time. */
export function SeatView() {
  const { join = "", tasterId } = useParams();
  const id = Number(tasterId);
  const [secret, setSecret] = useState(() => seatSecret(join, id));
  const sitDown = (typed: string) => {
    keepSeatSecret(join, id, typed);
    setSecret(seatSecret(join, id));
  };
  if (secret === "")
    return (
      <Sheet>
        <SeatCode tried={false} {...{ join, sitDown }} />
      </Sheet>
    );
  // Another's place is another page: nothing of the last one is kept.
  return <Place key={`${id}-${secret}`} {...{ join, id, secret, sitDown }} />;
}

interface PlaceProps {
  join: string;
  id: number;
  secret: string;
  sitDown: (typed: string) => void;
}

function Place({ join, id, secret, sitDown }: PlaceProps) {
  const { query, seat, say, waiting, away, refused } = useSeat(join, id, secret);
  const form = useQuery(formQuery());
  if (query.isError && !seat)
    return (
      <Sheet>
        {query.error instanceof ApiError && query.error.status === 403 ? (
          <SeatCode tried {...{ join, sitDown }} />
        ) : (
          <ErrorNote error={query.error} />
        )}
      </Sheet>
    );
  if (!seat || !form.data) return <Loading what="your cups" />;
  if (seat.state === "closed") return <Revealed seat={seat} join={join} />;
  return (
    <Sheet>
      <Asked join={join} seat={seat} form={form.data} say={say} />
      {refused && <ErrorNote error={refused} />}
      <p role="status" className="mt-3 min-h-5 text-small text-quiet">
        {away
          ? "Kept on this phone until Vapocline answers again."
          : waiting
            ? "Saving"
            : "Everything is saved."}
      </p>
      <Link className={`${styles.word} mt-2 self-start text-small`} to={`/table/${join}`}>
        Not {seat.name}?
      </Link>
    </Sheet>
  );
}

/** Asks for the code that shows whose place it is. */
function SeatCode(props: { join: string; tried: boolean; sitDown: (typed: string) => void }) {
  const [typed, setTyped] = useState("");
  return (
    <form
      className="grid gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        props.sitDown(typed);
      }}
    >
      <h1>Your code</h1>
      <p className="text-quiet">
        Open your own link, or type the ten letters that stand beside your name on the host’s page.
      </p>
      <TextLine label="Code" value={typed} most={20} large onChange={setTyped} />
      {props.tried && <FieldError>This code belongs to another place.</FieldError>}
      <Button type="submit" kind="main" className="min-h-12" disabled={typed.trim() === ""}>
        Sit down
      </Button>
      <Link className={`${styles.word} self-start text-small`} to={`/table/${props.join}`}>
        Not you?
      </Link>
    </form>
  );
}

interface AskedProps {
  join: string;
  seat: Seat;
  form: FormWords;
  say: SayAnything;
}

function Asked({ join, seat, form, say }: AskedProps) {
  const steps = stepsOf(seat);
  const firstOpen = steps.findIndex((step) => !answeredIn(seat, step));
  // Where one was is kept by what was asked there, since a cup may be withdrawn meanwhile.
  const [at, setAt] = useState(() => steps[firstOpen]?.id ?? "end");
  const here = steps.findIndex((step) => step.id === at);
  const missing = firstOpen >= 0 && at !== "end" ? firstOpen : steps.length;
  const index = here >= 0 ? here : missing;
  const step = steps[index];
  const go = (to: number) => setAt(steps[to]?.id ?? "end");
  const done = steps.filter((one) => one.is !== "words" && answeredIn(seat, one)).length;
  const asked = steps.filter((one) => one.is !== "words").length;
  useKeys({ ArrowLeft: () => go(Math.max(0, index - 1)), ArrowRight: () => go(index + 1) });
  const early = useDue(seat, step);
  const [stirred, setStirred] = useState(() =>
    seat.scores.filter((one) => one.stirred).map((one) => one.cup),
  );
  return (
    <>
      <header className="flex items-baseline justify-between gap-3 text-quiet">
        <span className="truncate font-medium text-ink">{seat.name}</span>
        <span className="shrink-0 tabular-nums">
          {done} of {asked}
        </span>
      </header>
      <span className="mt-1.5 block h-1.5 rounded-full bg-tint" aria-hidden="true">
        <span
          className="block h-full rounded-full bg-action"
          style={{ width: `${asked ? (100 * done) / asked : 0}%` }}
        />
      </span>
      {step === undefined ? (
        <End open={asked - done} back={() => go(firstOpen >= 0 ? firstOpen : steps.length - 1)} />
      ) : early !== null ? (
        <Wait step={step} seconds={early.seconds} now={early.now} />
      ) : (
        <StepOf
          key={step.id}
          step={step}
          next={() => go(index + 1)}
          {...{ join, seat, form, say, stirred, setStirred }}
        />
      )}
      <nav className="mt-auto flex justify-between gap-2 pt-6" aria-label="Steps">
        <Button className="min-h-12 px-5" disabled={index === 0} onClick={() => go(index - 1)}>
          Back
        </Button>
        {step !== undefined && (
          <Button className="min-h-12 px-5" onClick={() => go(index + 1)}>
            {answeredIn(seat, step) ? "Next" : "Leave out"}
          </Button>
        )}
      </nav>
    </>
  );
}

/** The curve of a cup that is not blind. */
function OpenCurve({ join, cup }: { join: string; cup: number }) {
  const curve = useQuery(cupCurveQuery(join, cup));
  return (
    <div className="mt-1 flex h-14 justify-center">
      {curve.data && <SmallCurve traces={curve.data} stop_s={null} width={160} height={56} />}
    </div>
  );
}

interface StepProps extends AskedProps {
  step: Step;
  next: () => void;
  /** The cups that were stirred. */
  stirred: number[];
  setStirred: (cups: number[]) => void;
}

function StepOf(props: StepProps) {
  const { step, seat, form, say, next, join, stirred, setStirred } = props;
  const named = (field: string): Attribute | undefined =>
    form.attributes.find((one) => one.field === field);
  if (step.is === "choice")
    return <ChoiceStep step={step} seat={seat} named={named} say={say} next={next} />;
  const where = seat.warmths.length > 1 ? `, ${step.warmth}` : "";
  const milk = seat.served === "milk" ? ", in milk" : "";
  return (
    <>
      <p className="mt-5 text-center text-quiet">
        Cup{where}
        {milk}
      </p>
      <p className="mt-1 text-center font-mono text-[44px] leading-12 font-medium break-words">
        {cupName(step.cup)}
      </p>
      {!seat.blind && <OpenCurve join={join} cup={step.cup.number} />}
      {step.is === "score" ? (
        <ScoreStep
          step={step}
          seat={seat}
          attribute={named(step.line)}
          stirred={stirred.includes(step.cup.number)}
          setStirred={(on) => setStirred(toggled(stirred, step.cup.number, on))}
          say={say}
          next={next}
        />
      ) : (
        <WordsStep step={step} seat={seat} form={form} say={say} />
      )}
    </>
  );
}

function End({ open, back }: { open: number; back: () => void }) {
  return (
    <section className="mt-10 text-center">
      <h1>{open === 0 ? "All done" : "Not quite done"}</h1>
      <p className="mt-2 text-quiet">
        {open === 0
          ? "Thank you. You will see here which cup was which when the host closes the tasting."
          : `${open} ${open === 1 ? "question is" : "questions are"} not answered yet.`}
      </p>
      <Button className="mt-4 min-h-12 px-5" onClick={back}>
        {open === 0 ? "Look again" : "Go to the next open question"}
      </Button>
    </section>
  );
}

function Wait({ step, seconds, now }: { step: Step; seconds: number; now: () => void }) {
  const warmth = step.is === "choice" ? "" : step.warmth;
  return (
    <section className="mt-10 text-center">
      <h1>Taste again {warmth}</h1>
      <p className="mt-2 font-mono text-[44px] leading-12 font-medium tabular-nums">
        {clockWords(seconds)}
      </p>
      <p className="mt-1 text-quiet">until the cups are {warmth}. Rinse with water meanwhile.</p>
      <Button className="mt-4 min-h-12 px-5" onClick={now}>
        Taste now
      </Button>
    </section>
  );
}

function clockWords(seconds: number) {
  const whole = Math.max(0, Math.ceil(seconds));
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
}

const EARLY_S = 15; // so much before its time a warmth is close enough

/** How long until a step's warmth is due, null once it is; `now` skips the wait. */
function useDue(seat: Seat, step: Step | undefined) {
  const [ready, setReady] = useState<string[]>([]);
  const [seconds, setSeconds] = useState(0);
  const warmth = step && step.is !== "choice" ? step.warmth : undefined;
  const due = warmth && warmth !== seat.warmths[0] ? seat.due_in_s[warmth] : undefined;
  useEffect(() => {
    if (due === undefined) return;
    const end = performance.now() + due * 1000;
    const tick = () => setSeconds((end - performance.now()) / 1000);
    tick();
    const timer = setInterval(tick, 1000);
    return () => clearInterval(timer);
  }, [due]);
  if (due === undefined || warmth === undefined || ready.includes(warmth)) return null;
  return seconds > EARLY_S ? { seconds, now: () => setReady([...ready, warmth]) } : null;
}

/** Keys of the page, but not where words are written. */
function useKeys(keys: Record<string, () => void>) {
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const at = event.target as Element | null;
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      if (at?.closest("input:not([type=checkbox]), textarea")) return;
      keys[event.key]?.();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  });
}

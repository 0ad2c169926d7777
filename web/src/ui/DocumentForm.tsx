import {
  createContext,
  type ReactNode,
  useContext,
  useEffect,
  useId,
  useRef,
  useState,
} from "react";
import {
  FormProvider,
  type UseFormReturn,
  useController,
  useForm,
  useFormContext,
  useWatch,
} from "react-hook-form";
import { ApiError } from "../api/client";
import { refusalWords } from "../api/refusals";
import { Button } from "./Button";
import { Choice } from "./Choice";
import { FieldError, NumberField, type Typed } from "./NumberField";
import { cn, styles } from "./styles";
import { readUnit } from "./units";

export type Json = Record<string, unknown>;

/** Which group of fields stands open; null in a form whose groups do not close. */
const Groups = createContext<{ open: string | null; show: (name: string | null) => void } | null>(
  null,
);

/** The paths that have a field here, with its label: what is refused elsewhere is shown below. */
const Shown = createContext<Map<string, string>>(new Map());

/**
 * A form over a document. What is typed stays whatever it is; the server says what is wrong with it,
 * beside the field it named.
 */
export function DocumentForm(props: {
  label: string;
  start: Json;
  save: (document: Json) => Promise<unknown>;
  words: string;
  /** Nothing is stored yet: it can be saved as it stands. */
  fresh?: boolean;
  /** Its groups are sentences that open to fields: nothing to save while all are closed. */
  folds?: boolean;
  /** In a narrow place: no frame, and the button is not the view's next step. */
  small?: boolean;
  /** What stands above the form and shows what is typed in it. */
  picture?: ReactNode;
  children: ReactNode;
  beside?: ReactNode;
}) {
  const {
    label,
    start,
    words,
    fresh = false,
    small = false,
    folds = false,
    children,
    beside,
  } = props;
  const shown = useRef(new Map<string, string>()).current;
  const element = useRef<HTMLFormElement>(null);
  // Changed elsewhere meanwhile: what was not typed here follows.
  const form = useForm<Json>({
    values: start,
    resetOptions: { keepDirtyValues: true },
  });
  // Not the form's own: what is read back after saving resets that.
  const [saved, setSaved] = useState(false);
  const { errors, isDirty, isSubmitting, submitCount } = form.formState;
  const [elsewhere, tellElsewhere] = useElsewhere(form, start, shown);
  const refused = Object.keys(errors).length > 0;
  const [open, show] = useState<string | null>(null);
  // A long form: the first field that was refused comes into view, its group opened before.
  const shownFor = useRef(0);
  useEffect(() => {
    if (!refused || shownFor.current === submitCount) return;
    const first = element.current?.querySelector<HTMLElement>("[aria-invalid=true]");
    const group = first?.closest<HTMLElement>("[data-group]")?.dataset.group ?? open;
    if (group !== open) return show(group);
    shownFor.current = submitCount;
    first?.focus();
  }, [refused, submitCount, open]);
  const revert = () => {
    setSaved(false);
    tellElsewhere([]);
    form.reset(start, { keepDirtyValues: false });
  };
  const submit = form.handleSubmit(async (said) => {
    try {
      await props.save(said);
      tellElsewhere([]);
      form.reset(said, { keepDirtyValues: false });
      setSaved(true);
    } catch (error) {
      const problems = error instanceof ApiError ? error.problems : [];
      for (const one of problems.filter((problem) => shown.has(problem.field)))
        form.setError(one.field, { message: refusalWords(one) });
      const others = problems.filter((one) => !shown.has(one.field));
      const rest = problems.length
        ? others.map((one) => `${one.field}: ${refusalWords(one)}`)
        : [(error as Error).message];
      if (rest.length) form.setError("root", { message: rest.join("\n") });
    }
  });
  return (
    <FormProvider {...form}>
      <Groups value={fresh ? null : { open, show }}>
        <Shown value={shown}>
          {props.picture}
          <form
            ref={element}
            aria-label={label}
            className={small ? "space-y-2" : styles.part}
            onSubmit={submit}
          >
            {children}
            {elsewhere.map((words) => (
              <p key={words} role="status" className="text-warn" data-part="elsewhere">
                {words}
              </p>
            ))}
            {errors.root?.message && elsewhere.length === 0 && (
              <FieldError>{errors.root.message}</FieldError>
            )}
            <div className="flex flex-wrap items-center gap-2 pt-1">
              {(open !== null || isDirty || !folds) && (
                <Button
                  type="submit"
                  kind={small ? "plain" : "main"}
                  className={small ? "" : "px-4"}
                  disabled={!(isDirty || fresh) || isSubmitting}
                >
                  {words}
                </Button>
              )}
              {isDirty && !fresh && <Button onClick={revert}>Revert</Button>}
              {saved && !refused && !isDirty && !fresh && (
                <span role="status" className="text-quiet">
                  Saved
                </span>
              )}
              {beside}
            </div>
          </form>
        </Shown>
      </Groups>
    </FormProvider>
  );
}

/**
 * What was typed here and saved elsewhere to something else meanwhile, in words: saving keeps what is
 * here, reverting takes what is there.
 */
function useElsewhere(form: UseFormReturn<Json>, start: Json, labels: Map<string, string>) {
  const [words, setWords] = useState<string[]>([]);
  const before = useRef(start);
  const stored = JSON.stringify(start);
  useEffect(() => {
    const [old, now] = [before.current, JSON.parse(stored) as Json];
    before.current = now;
    const here = form.getValues();
    const { dirtyFields } = form.formState;
    const both = Object.keys(now).filter((name) => {
      const there = JSON.stringify(now[name]);
      const changed = JSON.stringify(old[name]) !== there;
      return changed && dirtyFields[name] && JSON.stringify(here[name]) !== there;
    });
    if (both.length)
      setWords(
        both.map((name) => {
          const is = `is ${written(now[name])} there and ${written(here[name])} here`;
          return `Changed elsewhere meanwhile: ${labels.get(name) ?? name} ${is}. Save to keep yours, or revert to take theirs.`;
        }),
      );
  }, [stored, form, labels]);
  return [words, setWords] as const;
}

function written(value: unknown) {
  if (value === null || value === undefined || value === "") return "empty";
  if (typeof value === "object") return "something else";
  return typeof value === "string" ? `“${value}”` : String(value);
}

/** A field of the form here: its value, how to change it, and what was refused of it. */
function useField(path: string, label: string) {
  const shown = useContext(Shown);
  shown.set(path, label);
  const { field, fieldState } = useController({ name: path });
  const change = (value: unknown) => field.onChange(value);
  return { value: field.value as unknown, change, error: fieldState.error?.message };
}

/** What stands at a path of the form here, for parts that depend on it. */
export function useFieldValue<T>(path: string): T {
  return useWatch({ name: path }) as T;
}

/** How to write a whole part of the form here. */
export function useSetPart() {
  const { setValue } = useFormContext();
  return (path: string, value: unknown) => setValue(path, value, { shouldDirty: true });
}

/** A number of the document, with its unit. */
export function Num(props: NumberProps & { unit: string }) {
  const { label, unit, step = 0.1, width = 64, ...rest } = props;
  return (
    <span>
      <span className="block text-small leading-4.5 text-quiet">{label}</span>
      <span className="flex items-start gap-1.5">
        <Cell label={label} step={step} width={width} unit={unit} {...rest} />
        <span className="leading-7 text-quiet">{readUnit(unit)}</span>
      </span>
    </span>
  );
}

interface NumberProps {
  path: string;
  label: string;
  step?: number;
  width?: number;
  placeholder?: string;
  /** What it is stored in, where it is read in another unit. */
  unit?: string;
}

/** A number of the document alone, as in a table that names it. */
export function Cell({ path, label, step = 0.1, width = 84, ...rest }: NumberProps) {
  const { value, change, error } = useField(path, label);
  return (
    <NumberField
      label={label}
      value={value as Typed}
      onChange={change}
      step={step}
      width={width}
      error={error}
      {...rest}
    />
  );
}

/** Text of the document, on one line or several. */
export function Text(props: {
  path: string;
  label: string;
  lines?: number;
  type?: "date" | "month";
  placeholder?: string;
}) {
  const { path, label, lines = 1, type, placeholder } = props;
  const { value, change, error } = useField(path, label);
  const errorId = useId();
  const shared = {
    "aria-label": label,
    "aria-invalid": error ? true : undefined,
    "aria-describedby": error ? errorId : undefined,
    placeholder,
    value: String(value ?? ""),
    onChange: (event: { target: { value: string } }) =>
      change(type ? event.target.value || null : event.target.value),
  };
  return (
    <span className={type ? "" : "flex-[1_1_240px] [&_[data-ui=field-frame]]:w-full"}>
      <span className="block text-small leading-4.5 text-quiet">{label}</span>
      <span className={styles.withError} data-ui="field-frame">
        {lines > 1 ? (
          <textarea
            className={cn(styles.textField, "h-auto! w-full py-1 leading-[18px]")}
            data-ui="field"
            rows={lines}
            {...shared}
          />
        ) : (
          <input
            className={cn(styles.textField, "w-full")}
            data-ui="field"
            type={type ?? "text"}
            {...shared}
          />
        )}
        {error && <FieldError id={errorId}>{`${label}: ${error}`}</FieldError>}
      </span>
    </span>
  );
}

/** Yes or no. */
export function Tick({ path, label }: { path: string; label: string }) {
  const { value, change } = useField(path, label);
  return (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        checked={Boolean(value)}
        onChange={(event) => change(event.target.checked)}
      />
      {label}
    </label>
  );
}

/** One of a few words. */
export function Pick<T extends string>(props: {
  path: string;
  label: string;
  options: readonly { value: T; words: string }[];
  /** What the part that holds the field becomes with a choice, where more than the field changes. */
  chosen?: (value: T) => unknown;
}) {
  const { path, label, options, chosen } = props;
  const { value, change, error } = useField(path, label);
  const setPart = useSetPart();
  const part = path.split(".").slice(0, -1).join(".");
  return (
    <span>
      <span className="block text-small leading-4.5 text-quiet">{label}</span>
      <Choice
        label={label}
        value={String(value ?? "") as T}
        options={options}
        onChange={(one) => (chosen ? setPart(part, chosen(one)) : change(one))}
        error={error}
      />
    </span>
  );
}

/** Several of a few words; all of them are written as null where that means no bound. */
export function Several<T extends string>(props: {
  path: string;
  label: string;
  options: readonly { value: T; words: string }[];
  allIsNull?: boolean;
}) {
  const { path, label, options, allIsNull = false } = props;
  const { value, change, error } = useField(path, label);
  const held = (value as T[] | null) ?? options.map((one) => one.value);
  const tick = (which: T, on: boolean) => {
    const next = options
      .map((other) => other.value)
      .filter((other) => (other === which ? on : held.includes(other)));
    change(allIsNull && next.length === options.length ? null : next);
  };
  return (
    <fieldset className="basis-full" aria-label={label}>
      <span className="block text-small leading-4.5 text-quiet">{label}</span>
      <span className="flex flex-wrap gap-x-3 gap-y-1 leading-7">
        {options.map((one) => (
          <label key={one.value} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={held.includes(one.value)}
              onChange={(event) => tick(one.value, event.target.checked)}
            />
            {one.words}
          </label>
        ))}
        {error && <FieldError>{`${label}: ${error}`}</FieldError>}
      </span>
    </fieldset>
  );
}

/**
 * A group of fields under a name. With `words` it stands as a sentence of what is written there,
 * until somebody wants to change it; in a form of something new it is open.
 */
export function Part(props: {
  name: string;
  words?: (said: Json) => ReactNode;
  children: ReactNode;
}) {
  const { name, words, children } = props;
  const groups = useContext(Groups);
  const folds = groups !== null && words !== undefined;
  const open = !folds || groups.open === name;
  return (
    <section
      className="grid gap-1.5 border-b border-b-rule pb-2.5"
      aria-label={name}
      data-group={folds ? name : undefined}
    >
      <div className="flex items-start gap-3">
        <h3 className="flex-none">{name}</h3>
        {folds && (
          <Button
            className="ml-auto flex-none"
            aria-label={open ? `Close: ${name}` : `Change: ${name}`}
            aria-expanded={open}
            onClick={() => groups.show(open ? null : name)}
          >
            {open ? "Close" : "Change"}
          </Button>
        )}
      </div>
      {!open && words && <Written words={words} />}
      <div className={open ? "flex flex-wrap gap-y-2 gap-x-5.5" : "hidden"}>{children}</div>
    </section>
  );
}

/** What a group says as it is typed now. */
function Written({ words }: { words: (said: Json) => ReactNode }) {
  return <p className="max-w-prose -mt-1.5">{words(useWatch() as Json)}</p>;
}

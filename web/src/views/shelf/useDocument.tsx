import { useMutation } from "@tanstack/react-query";
import { createContext, type ReactNode, useContext, useEffect, useRef, useState } from "react";
import { ApiError, type RefusedField } from "../../api/client";
import { refusalWords } from "../../api/refusals";
import { Choice } from "../../ui/Choice";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";

type Json = Record<string, unknown>;

/** A document being written: what stands in it, what was refused, and saving it. */
export interface Doc {
  value: Json;
  at: (path: string) => unknown;
  set: (path: string, value: unknown) => void;
  against: (path: string) => string | undefined;
  dirty: boolean;
  saving: boolean;
  save: () => void;
  undo: () => void;
  /** Refusals that belong to no one field on the page. */
  rest: string | undefined;
}

const Here = createContext<Doc | undefined>(undefined);

function useHere() {
  const doc = useContext(Here);
  if (!doc) throw new Error("a field outside of its document");
  return doc;
}

/**
 * A form over a document of the shelf. What is typed stays whatever it is; the server says what is
 * wrong with it, beside the field it named.
 */
export function DocumentForm(props: {
  label: string;
  start: Json;
  save: (document: Json) => Promise<unknown>;
  words: string;
  fresh?: boolean;
  children: ReactNode;
  beside?: ReactNode;
}) {
  const { label, start, words, fresh = false, children, beside } = props;
  const [value, setValue] = useState(start);
  const form = useRef<HTMLFormElement>(null);
  const mutation = useMutation({ mutationFn: (said: Json) => props.save(said) });
  // What stands on the shelf changed: by our own saving, or elsewhere while nothing was typed here.
  const text = JSON.stringify(start);
  const [known, setKnown] = useState(text);
  if (known !== text) {
    setKnown(text);
    if (JSON.stringify(value) === known || mutation.variables === value) setValue(start);
  }
  // A long form: the first field that was refused comes into view.
  useEffect(() => {
    if (mutation.error) form.current?.querySelector<HTMLElement>("[aria-invalid=true]")?.focus();
  }, [mutation.error]);
  const problems = mutation.error instanceof ApiError ? mutation.error.problems : [];
  const shown = new Set<string>();
  const doc: Doc = {
    value,
    at: (path) => read(value, path),
    set: (path, to) => setValue((old) => written(old, path.split("."), to)),
    against: (path) => {
      shown.add(path);
      return wordsOf(problems.find((one) => one.field === path));
    },
    dirty: fresh || JSON.stringify(value) !== text,
    saving: mutation.isPending,
    save: () => mutation.mutate(value),
    undo: () => {
      setValue(start);
      mutation.reset();
    },
    rest: undefined,
  };
  return (
    <Here.Provider value={doc}>
      <form
        ref={form}
        aria-label={label}
        className="document"
        onSubmit={(event) => {
          event.preventDefault();
          doc.save();
        }}
      >
        {children}
        <Rest problems={problems} shown={shown} error={mutation.error} />
        <div className="flex flex-wrap items-center gap-2 pt-1">
          <button type="submit" className="btn btn-main px-4!" disabled={!doc.dirty || doc.saving}>
            {words}
          </button>
          {doc.dirty && !fresh && (
            <button type="button" className="btn" onClick={doc.undo}>
              Revert
            </button>
          )}
          {mutation.isSuccess && !doc.dirty && (
            <span role="status" className="text-quiet">
              Saved
            </span>
          )}
          {beside}
        </div>
      </form>
    </Here.Provider>
  );
}

/** What was refused beyond the fields on the page, or why saving failed at all. */
function Rest(props: { problems: RefusedField[]; shown: Set<string>; error: Error | null }) {
  const { problems, shown, error } = props;
  if (!error) return null;
  const others = problems.filter((one) => !shown.has(one.field));
  if (problems.length > 0 && others.length === 0) return null;
  const words = others.map((one) => `${one.field}: ${refusalWords(one)}`);
  return <FieldError>{words.length ? words.join("\n") : error.message}</FieldError>;
}

function wordsOf(problem: RefusedField | undefined) {
  return problem && refusalWords(problem);
}

function read(value: unknown, path: string): unknown {
  return path
    .split(".")
    .reduce<unknown>((at, part) => (at as Json | undefined)?.[part as keyof typeof at], value);
}

function written<T>(value: T, [part, ...rest]: string[], to: unknown): T {
  if (part === undefined) return to as T;
  const copy = (Array.isArray(value) ? [...value] : { ...value }) as Json;
  copy[part] = written(copy[part], rest, to);
  return copy as T;
}

/** A number of the document, with its unit. */
export function Num(props: {
  path: string;
  label: string;
  unit: string;
  step?: number;
  placeholder?: string;
}) {
  const { path, label, unit, step = 0.1, placeholder } = props;
  const doc = useHere();
  return (
    <span className="labelled">
      <span className="name">{label}</span>
      <span className="flex items-start gap-1.5">
        <NumberField
          label={label}
          value={doc.at(path) as Typed}
          onChange={(value) => doc.set(path, value)}
          step={step}
          width={64}
          error={doc.against(path)}
          {...(placeholder === undefined ? {} : { placeholder })}
        />
        <span className="leading-7 text-quiet">{unit}</span>
      </span>
    </span>
  );
}

/** Text of the document, on one line or several. */
export function Text(props: { path: string; label: string; lines?: number; type?: "date" }) {
  const { path, label, lines = 1, type } = props;
  const doc = useHere();
  const error = doc.against(path);
  const shared = {
    "aria-label": label,
    "aria-invalid": error ? true : undefined,
    value: String(doc.at(path) ?? ""),
    onChange: (event: { target: { value: string } }) =>
      doc.set(path, type === "date" ? event.target.value || null : event.target.value),
  };
  return (
    <span className={`labelled ${type ? "" : "wide"}`}>
      <span className="name">{label}</span>
      <span className="with-error">
        {lines > 1 ? (
          <textarea
            className="field text h-auto! w-full py-1 leading-[18px]"
            rows={lines}
            {...shared}
          />
        ) : (
          <input className="field text w-full" type={type ?? "text"} {...shared} />
        )}
        {error && <FieldError>{`${label}: ${error}`}</FieldError>}
      </span>
    </span>
  );
}

/** Yes or no. */
export function Tick({ path, label }: { path: string; label: string }) {
  const doc = useHere();
  return (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        checked={Boolean(doc.at(path))}
        onChange={(event) => doc.set(path, event.target.checked)}
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
  chosen?: (value: T) => unknown;
}) {
  const { path, label, options, chosen } = props;
  const doc = useHere();
  return (
    <span className="labelled">
      <span className="name">{label}</span>
      <Choice
        label={label}
        value={String(doc.at(path) ?? "") as T}
        options={options}
        onChange={(value) => {
          if (chosen) doc.set(path.split(".").slice(0, -1).join("."), chosen(value));
          else doc.set(path, value);
        }}
        error={doc.against(path)}
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
  const doc = useHere();
  const held = (doc.at(path) as T[] | null) ?? options.map((one) => one.value);
  const error = doc.against(path);
  return (
    <fieldset className="labelled basis-full" aria-label={label}>
      <span className="name">{label}</span>
      <span className="flex flex-wrap gap-x-3 gap-y-1 leading-7">
        {options.map((one) => (
          <label key={one.value} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={held.includes(one.value)}
              onChange={(event) => {
                const next = options
                  .map((other) => other.value)
                  .filter((value) =>
                    value === one.value ? event.target.checked : held.includes(value),
                  );
                doc.set(path, allIsNull && next.length === options.length ? null : next);
              }}
            />
            {one.words}
          </label>
        ))}
        {error && <FieldError>{`${label}: ${error}`}</FieldError>}
      </span>
    </fieldset>
  );
}

/** A part of the form under a name. */
export function Part({ name, children }: { name: string; children: ReactNode }) {
  return (
    <section className="part" aria-label={name}>
      <h3>{name}</h3>
      <div className="fields">{children}</div>
    </section>
  );
}

/** The document here, for parts that depend on what stands in it. */
export const useDocumentHere = useHere;

import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { type QueryKey, useQueryClient } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import type { ReactNode } from "react";
import {
  type DefaultValues,
  type FieldPath,
  type FieldValues,
  type UseFormReturn,
  useForm,
} from "react-hook-form";
import { ApiError, answered, type Coffee, client } from "../api/client";
import { coffeesQuery, grindersQuery } from "../api/queries";
import { refusalWords } from "../api/refusals";
import { FieldError, parsed } from "../ui/NumberField";

const PROCESSES = ["", "washed", "honey", "natural"];
const ROASTS: Coffee["roast"][] = ["light", "medium-light", "medium", "medium-dark", "dark"];

/**
 * A form that puts something on the shelf and hands back its number. The server's words stand beside
 * the fields it refused; the rest goes under the form.
 */
function useAdding<T extends FieldValues>(
  defaultValues: DefaultValues<T>,
  add: (said: T) => Promise<{ id: number }>,
  then: { key: QueryKey; added: (id: number) => void },
) {
  const form = useForm<T>({ defaultValues });
  const queryClient = useQueryClient();
  const submit = form.handleSubmit(async (said) => {
    try {
      const { id } = await add(said);
      await queryClient.invalidateQueries({ queryKey: then.key });
      then.added(id);
    } catch (error) {
      refuse(form, error, Object.keys(said) as FieldPath<T>[]);
    }
  });
  const { errors, isSubmitting } = form.formState;
  const against = (name: keyof T) => errors[name]?.message as string | undefined;
  return { register: form.register, submit, against, rest: errors.root?.message, isSubmitting };
}

function refuse<T extends FieldValues>(
  form: UseFormReturn<T>,
  error: unknown,
  fields: FieldPath<T>[],
) {
  const problems = error instanceof ApiError ? error.problems : [];
  const rest: string[] = problems.length ? [] : [(error as Error).message];
  for (const problem of problems) {
    const field = fields.find((name) => problem.field.startsWith(name));
    if (field) form.setError(field, { message: refusalWords(problem) });
    else rest.push(problem.message);
  }
  if (rest.length) form.setError("root", { message: rest.join("\n") });
}

/** The form folded away under a button until it is wanted. */
function Folded(props: {
  words: string;
  form: { submit: () => void; rest: string | undefined; isSubmitting: boolean };
  children: ReactNode;
}) {
  const { words, form, children } = props;
  return (
    <Disclosure as="div" className="mt-2 border-t border-rule pt-2">
      <DisclosureButton className="btn">
        <Plus size={14} aria-hidden="true" /> {words}
      </DisclosureButton>
      <DisclosurePanel className="mt-3">
        <form onSubmit={form.submit} className="space-y-2">
          {children}
          {form.rest && <FieldError>{form.rest}</FieldError>}
          <button type="submit" className="btn" disabled={form.isSubmitting}>
            Add and use
          </button>
        </form>
      </DisclosurePanel>
    </Disclosure>
  );
}

function Row({
  label,
  error,
  children,
}: {
  label: string;
  error?: string | undefined;
  children: ReactNode;
}) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the control is the child
    <label className="block">
      <span className="flex items-center gap-2">
        <span className="w-20 shrink-0">{label}</span>
        {children}
      </span>
      {error && <FieldError>{error}</FieldError>}
    </label>
  );
}

/** A coffee and its bag: what the prediction needs to know of it. */
export function NewCoffee({ added }: { added: (id: number) => void }) {
  const form = useAdding(
    { name: "", roast: "medium", process: "", roasted_on: "", decaf: false },
    ({ roasted_on, ...said }) => {
      const body = { ...said, roasted_on: roasted_on || null } as Coffee;
      return answered(client.POST("/api/coffees", { body }));
    },
    { key: coffeesQuery().queryKey, added },
  );
  return (
    <Folded words="New coffee" form={form}>
      <Row label="Name" error={form.against("name")}>
        <input className="field text min-w-0 flex-1" {...form.register("name")} />
      </Row>
      <Row label="Roast" error={form.against("roast")}>
        <select className="field text min-w-0 flex-1" {...form.register("roast")}>
          {ROASTS.map((roast) => (
            <option key={roast}>{roast}</option>
          ))}
        </select>
      </Row>
      <Row label="Process" error={form.against("process")}>
        <select className="field text min-w-0 flex-1" {...form.register("process")}>
          {PROCESSES.map((process) => (
            <option key={process} value={process}>
              {process || "not known"}
            </option>
          ))}
        </select>
      </Row>
      <Row label="Roasted on" error={form.against("roasted_on")}>
        <input type="date" className="field text min-w-0 flex-1" {...form.register("roasted_on")} />
      </Row>
      <Row label="Decaf">
        <input type="checkbox" {...form.register("decaf")} />
      </Row>
    </Folded>
  );
}

/** A grinder by two of its settings and the size each gives; more points can follow. */
export function NewGrinder({ added }: { added: (id: number) => void }) {
  const form = useAdding(
    { name: "", settings: "", grind_um: "" },
    ({ name, settings, grind_um }) => {
      const body = { name, settings: numbers(settings), grind_um: numbers(grind_um), note: "" };
      return answered(client.POST("/api/grinders", { body: body as never }));
    },
    { key: grindersQuery().queryKey, added },
  );
  return (
    <Folded words="New grinder" form={form}>
      <Row label="Name" error={form.against("name")}>
        <input className="field text min-w-0 flex-1" {...form.register("name")} />
      </Row>
      <p className="text-[13px] text-quiet">
        Two or more settings in rising order, and the grain size each gives in µm, with spaces
        between. Around 300 µm suits most espresso.
      </p>
      <Row label="Settings" error={form.against("settings")}>
        <input
          className="field text min-w-0 flex-1"
          placeholder="8 14.5 24"
          {...form.register("settings")}
        />
      </Row>
      <Row label="Size, µm" error={form.against("grind_um")}>
        <input
          className="field text min-w-0 flex-1"
          placeholder="214 300 446"
          {...form.register("grind_um")}
        />
      </Row>
    </Folded>
  );
}

/** Numbers with spaces between; what is none goes to the server as it is, to be refused by name. */
function numbers(text: string) {
  return text
    .split(/[\s;]+/)
    .filter(Boolean)
    .map(parsed);
}

import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { useQueryClient } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import type { ReactNode } from "react";
import { type FieldPath, type FieldValues, type UseFormReturn, useForm } from "react-hook-form";
import { ApiError, answered, type Coffee, client } from "../api/client";
import { coffeesQuery, grindersQuery } from "../api/queries";
import { FieldError, parsed } from "../ui/NumberField";

const PROCESSES = ["", "washed", "honey", "natural"];
const ROASTS: Coffee["roast"][] = ["light", "medium-light", "medium", "medium-dark", "dark"];

/** Put the server's words beside the fields it refused; the rest goes under the form. */
function refuse<T extends FieldValues>(
  form: UseFormReturn<T>,
  error: unknown,
  fields: FieldPath<T>[],
) {
  const problems = error instanceof ApiError ? error.problems : [];
  const rest: string[] = problems.length ? [] : [(error as Error).message];
  for (const problem of problems) {
    const field = fields.find((name) => problem.field.startsWith(name));
    if (field) form.setError(field, { message: `got ${problem.got}; takes ${problem.accepted}` });
    else rest.push(problem.message);
  }
  if (rest.length) form.setError("root", { message: rest.join("\n") });
}

function Unfolding({ words, children }: { words: string; children: ReactNode }) {
  return (
    <Disclosure as="div" className="mt-2 border-t border-rule pt-2">
      <DisclosureButton className="btn">
        <Plus size={14} aria-hidden="true" /> {words}
      </DisclosureButton>
      <DisclosurePanel className="mt-3">{children}</DisclosurePanel>
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
  const form = useForm({
    defaultValues: { name: "", roast: "medium", process: "", roasted_on: "", decaf: false },
  });
  const queryClient = useQueryClient();
  const { errors } = form.formState;
  const add = form.handleSubmit(async ({ roasted_on, ...said }) => {
    const body = { ...said, roasted_on: roasted_on || null } as Coffee;
    try {
      const coffee = await answered(client.POST("/api/coffees", { body }));
      await queryClient.invalidateQueries({ queryKey: coffeesQuery().queryKey });
      added(coffee.id);
    } catch (error) {
      refuse(form, error, ["name", "roast", "roasted_on"]);
    }
  });
  return (
    <Unfolding words="New coffee">
      <form onSubmit={add} className="space-y-2">
        <Row label="Name" error={errors.name?.message}>
          <input className="field text min-w-0 flex-1" {...form.register("name")} />
        </Row>
        <Row label="Roast" error={errors.roast?.message}>
          <select className="field text min-w-0 flex-1" {...form.register("roast")}>
            {ROASTS.map((roast) => (
              <option key={roast}>{roast}</option>
            ))}
          </select>
        </Row>
        <Row label="Process" error={errors.process?.message}>
          <select className="field text min-w-0 flex-1" {...form.register("process")}>
            {PROCESSES.map((process) => (
              <option key={process} value={process}>
                {process || "not known"}
              </option>
            ))}
          </select>
        </Row>
        <Row label="Roasted on" error={errors.roasted_on?.message}>
          <input
            type="date"
            className="field text min-w-0 flex-1"
            {...form.register("roasted_on")}
          />
        </Row>
        <Row label="Decaf">
          <input type="checkbox" {...form.register("decaf")} />
        </Row>
        {errors.root?.message && <FieldError>{errors.root.message}</FieldError>}
        <button type="submit" className="btn" disabled={form.formState.isSubmitting}>
          Add and use
        </button>
      </form>
    </Unfolding>
  );
}

/** A grinder by two of its settings and the size each gives; more points can follow. */
export function NewGrinder({ added }: { added: (id: number) => void }) {
  const form = useForm({ defaultValues: { name: "", settings: "", grind_um: "" } });
  const queryClient = useQueryClient();
  const { errors } = form.formState;
  const add = form.handleSubmit(async ({ name, settings, grind_um }) => {
    const body = { name, settings: numbers(settings), grind_um: numbers(grind_um), note: "" };
    try {
      const grinder = await answered(client.POST("/api/grinders", { body: body as never }));
      await queryClient.invalidateQueries({ queryKey: grindersQuery().queryKey });
      added(grinder.id);
    } catch (error) {
      refuse(form, error, ["name", "settings", "grind_um"]);
    }
  });
  return (
    <Unfolding words="New grinder">
      <form onSubmit={add} className="space-y-2">
        <Row label="Name" error={errors.name?.message}>
          <input className="field text min-w-0 flex-1" {...form.register("name")} />
        </Row>
        <p className="text-[13px] text-quiet">
          Two or more settings in rising order, and the grain size each gives in µm, with spaces
          between. Around 300 µm suits most espresso.
        </p>
        <Row label="Settings" error={errors.settings?.message}>
          <input
            className="field text min-w-0 flex-1"
            placeholder="8 14.5 24"
            {...form.register("settings")}
          />
        </Row>
        <Row label="Size, µm" error={errors.grind_um?.message}>
          <input
            className="field text min-w-0 flex-1"
            placeholder="214 300 446"
            {...form.register("grind_um")}
          />
        </Row>
        {errors.root?.message && <FieldError>{errors.root.message}</FieldError>}
        <button type="submit" className="btn" disabled={form.formState.isSubmitting}>
          Add and use
        </button>
      </form>
    </Unfolding>
  );
}

/** Numbers with spaces between; what is none goes to the server as it is, to be refused by name. */
function numbers(text: string) {
  return text
    .split(/[\s;]+/)
    .filter(Boolean)
    .map(parsed);
}

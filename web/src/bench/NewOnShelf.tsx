import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { type QueryKey, useQueryClient } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import type { ReactNode } from "react";
import { coffeesQuery, grindersQuery } from "../api/queries";
import { buttonStyle } from "../ui/Button";
import { DocumentForm, type Json, Pick, Text, Tick } from "../ui/DocumentForm";
import { GrinderPoints } from "./GrinderPoints";
import { NEW_COFFEE, NEW_GRINDER, ROASTS, writeCoffee, writeGrinder } from "./shelving";

/** A form folded away under a button until it is wanted: it adds something and puts it to use. */
function Adding(props: {
  words: string;
  start: Json;
  list: QueryKey;
  write: (document: Json) => Promise<{ id: number }>;
  added: (id: number) => void;
  children: ReactNode;
}) {
  const { words, start, list, write, added, children } = props;
  const queryClient = useQueryClient();
  const save = async (document: Json) => {
    const { id } = await write(document);
    await queryClient.invalidateQueries({ queryKey: list });
    added(id);
  };
  return (
    <Disclosure as="div" className="mt-2 border-t border-rule pt-2">
      <DisclosureButton className={buttonStyle("plain")}>
        <Plus size={14} aria-hidden="true" /> {words}
      </DisclosureButton>
      <DisclosurePanel className="mt-3">
        <DocumentForm label={words} start={start} save={save} words="Add and use" fresh small>
          {children}
        </DocumentForm>
      </DisclosurePanel>
    </Disclosure>
  );
}

/** A coffee and its bag: what the prediction needs to know of it. */
export function NewCoffee({ added }: { added: (id: number) => void }) {
  return (
    <Adding
      words="New coffee"
      start={NEW_COFFEE}
      list={coffeesQuery().queryKey}
      write={writeCoffee}
      added={added}
    >
      <Text path="name" label="Name" />
      <span className="flex flex-wrap gap-x-4 gap-y-2">
        <Pick path="roast" label="Roast" options={ROASTS} />
        <Text path="roasted_on" label="Roasted on" type="date" />
      </span>
      <Text path="process" label="Process" placeholder="washed, honey, natural" />
      <Tick path="decaf" label="Decaf" />
    </Adding>
  );
}

/** A grinder by two of its settings and the size each gives; more points can follow. */
export function NewGrinder({ added }: { added: (id: number) => void }) {
  return (
    <Adding
      words="New grinder"
      start={NEW_GRINDER}
      list={grindersQuery().queryKey}
      write={writeGrinder}
      added={added}
    >
      <Text path="name" label="Name" />
      <p className="text-[13px] text-quiet">
        Two or more settings in rising order, and the grain size each gives. Around 300 µm suits
        most espresso.
      </p>
      <GrinderPoints />
    </Adding>
  );
}

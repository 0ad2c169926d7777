import { useQuery } from "@tanstack/react-query";
import { answered, client, type Grinder } from "../../api/client";
import { grindersQuery } from "../../api/queries";
import { parsed } from "../../ui/NumberField";
import { Calibrations } from "./Calibrations";
import { ShelvedForm } from "./ShelvedForm";
import { Part, Text } from "./useDocument";

const NEW_GRINDER = { name: "", settings: "", grind_um: "", note: "" };

/** A grinder and the points that turn its numbers into sizes. */
export function GrinderPage({ id }: { id: number | undefined }) {
  const grinders = useQuery(grindersQuery());
  const grinder = grinders.data?.find((one) => one.id === id);
  const start = grinder
    ? {
        name: grinder.name,
        settings: grinder.settings.join(" "),
        grind_um: grinder.grind_um.join(" "),
        note: grinder.note,
      }
    : NEW_GRINDER;
  const write = (document: Record<string, unknown>) => {
    const body = {
      ...document,
      settings: numbers(document.settings),
      grind_um: numbers(document.grind_um),
    } as unknown as Grinder;
    return answered(
      id === undefined
        ? client.POST("/api/grinders", { body })
        : client.PUT("/api/grinders/{grinder_id}", { params: { path: { grinder_id: id } }, body }),
    );
  };
  return (
    <div className="shelf-page">
      <ShelvedForm
        kind="grinder"
        thing={grinder}
        start={start}
        list={grindersQuery().queryKey}
        write={write}
      >
        <Part name="The grinder">
          <Text path="name" label="Name" />
          <Text path="settings" label="Settings, rising" />
          <Text path="grind_um" label="Size at each, µm" />
          <Text path="note" label="Note" lines={2} />
        </Part>
      </ShelvedForm>
      {grinder && <Calibrations subject="grinder" id={grinder.id} />}
    </div>
  );
}

/** Numbers with spaces between; what is none goes to the server as it is, to be refused by name. */
function numbers(text: unknown) {
  return String(text)
    .split(/[\s;]+/)
    .filter(Boolean)
    .map(parsed);
}

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answered, client, type Grinder } from "../../api/client";
import { benchQuery, grindersQuery } from "../../api/queries";
import { parsed } from "../../ui/NumberField";
import { Calibrations } from "./Calibrations";
import { OnTheBench } from "./OnTheBench";
import { Remove } from "./Remove";
import { DocumentForm, Part, Text } from "./useDocument";

const NEW_GRINDER = { name: "", settings: "", grind_um: "", note: "" };

/** A grinder and the points that turn its numbers into sizes. */
export function GrinderPage({ id }: { id: number | undefined }) {
  const grinders = useQuery(grindersQuery());
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const grinder = grinders.data?.find((one) => one.id === id);
  const start = grinder
    ? {
        name: grinder.name,
        settings: grinder.settings.join(" "),
        grind_um: grinder.grind_um.join(" "),
        note: grinder.note,
      }
    : NEW_GRINDER;
  const save = async (document: Record<string, unknown>) => {
    const body = {
      ...document,
      settings: numbers(document.settings),
      grind_um: numbers(document.grind_um),
    } as unknown as Grinder;
    const kept = await answered(
      id === undefined
        ? client.POST("/api/grinders", { body })
        : client.PUT("/api/grinders/{grinder_id}", { params: { path: { grinder_id: id } }, body }),
    );
    await queryClient.invalidateQueries({ queryKey: grindersQuery().queryKey });
    await queryClient.invalidateQueries({ queryKey: benchQuery().queryKey });
    if (id === undefined) navigate(`/shelf/grinders/${kept.id}`);
  };
  return (
    <div className="shelf-page">
      <DocumentForm
        label={grinder?.name ?? "New grinder"}
        start={start}
        save={save}
        fresh={!grinder}
        words={grinder ? "Save the grinder" : "Put it on the shelf"}
        beside={
          grinder && (
            <>
              <OnTheBench kind="grinder" id={grinder.id} />
              <Remove
                kind="grinder"
                id={grinder.id}
                name={grinder.name}
                list={grindersQuery().queryKey}
              />
            </>
          )
        }
      >
        <Part name="The grinder">
          <Text path="name" label="Name" />
          <Text path="settings" label="Settings, rising" />
          <Text path="grind_um" label="Size at each, µm" />
          <Text path="note" label="Note" lines={2} />
        </Part>
      </DocumentForm>
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

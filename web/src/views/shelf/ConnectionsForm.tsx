import { useQuery, useQueryClient } from "@tanstack/react-query";
import { answered, type Connections, client } from "../../api/client";
import { keepAnswer } from "../../api/keepAnswer";
import { benchQuery, connectionsQuery, machinesQuery } from "../../api/queries";
import { DocumentForm, Part, Text, Tick, useFieldValue } from "../../ui/DocumentForm";
import { ErrorNote } from "../../ui/Messages";

/** Where a machine, its scale and the bench's refractometer answer; the simulated ones else. */
export function ConnectionsForm({ machineId }: { machineId: number }) {
  const lines = useQuery(connectionsQuery(machineId));
  const queryClient = useQueryClient();
  if (lines.isError) return <ErrorNote error={lines.error} />;
  if (!lines.data) return null;
  const { silent, ...start } = lines.data;
  const save = async (body: Record<string, unknown>) => {
    const now = await answered(
      client.PUT("/api/machines/{machine_id}/connections", {
        params: { path: { machine_id: machineId } },
        body: body as unknown as Connections,
      }),
    );
    await keepAnswer(queryClient, connectionsQuery(machineId).queryKey, now);
    await queryClient.invalidateQueries({ queryKey: machinesQuery().queryKey });
    await queryClient.invalidateQueries({ queryKey: benchQuery().queryKey });
  };
  return (
    <section aria-label="Connections" className="border-t border-rule pt-3">
      <h2>Connections to its devices</h2>
      <p className="text-quiet">
        Leave empty to use the simulated ones that come with Vapocline; otherwise enter addresses
        like 192.168.1.20:7000. A machine that is not connected is operated and read by hand: Pull
        keeps the time and gives the cues.
      </p>
      <DocumentForm label="Connections" start={start} save={save} words="Save connections">
        <Part name="They respond at">
          <Tick path="wired" label="The machine is connected" />
          <MachineLine />
          <Text path="scale" label="Scale" />
          <Text path="refractometer" label="Refractometer" />
        </Part>
      </DocumentForm>
      {Object.entries(silent).map(([name, words]) => (
        <p key={name} role="status" className="text-warn">
          {words}
        </p>
      ))}
    </section>
  );
}

/** Not connected there is nothing to respond; an address that stands there stays to be cleared. */
function MachineLine() {
  const wired = useFieldValue<boolean>("wired");
  const address = useFieldValue<string>("machine");
  if (!wired && !address) return null;
  return <Text path="machine" label="Machine" />;
}

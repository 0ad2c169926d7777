import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answered, client, type Shot } from "../../api/client";
import { keepAnswer } from "../../api/keepAnswer";
import { calibrationsQuery, dryRunQuery, machinesQuery } from "../../api/queries";
import { useActions } from "../../bench/actions";
import { Button, ButtonLink } from "../../ui/Button";
import { DataTable } from "../../ui/DataTable";
import { Key } from "../../ui/Key";
import { ErrorNote } from "../../ui/Messages";
import { cn, styles } from "../../ui/styles";

/** A dry run that is over: when its stages began, to be kept with the machine. */
export function DryRunOver({ shot }: { shot: Shot }) {
  const timed = useQuery(dryRunQuery(shot.id));
  const machines = useQuery(machinesQuery());
  const machine = machines.data?.find((one) => one.name === shot.machine);
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const keep = useMutation({
    mutationFn: async (id: number) => {
      if (!timed.data) throw new Error("The stages are not timed yet.");
      const all = await answered(
        client.POST("/api/calibrations/{subject}/{subject_id}", {
          params: { path: { subject: "machine", subject_id: id } },
          body: { measured: timed.data, note: shot.profile_name },
        }),
      );
      await keepAnswer(queryClient, calibrationsQuery("machine", id).queryKey, all);
      return id;
    },
    onSuccess: (id) => navigate(`/shelf/machines/${id}`),
  });
  const able = timed.data !== undefined && machine !== undefined && !keep.isPending;
  const kept = () => machine && keep.mutate(machine.id);
  useActions("dry-run", [
    {
      id: "keep-dry-run",
      words: "Keep the times with the machine",
      key: "k",
      group: "Here",
      disabled: !able,
      run: kept,
    },
  ]);
  const error = timed.error ?? keep.error;
  return (
    <aside className={cn(styles.forecastColumn, "gap-2!")} aria-label="Result">
      <h2>Stages against the plan</h2>
      {error && <ErrorNote error={error} />}
      {timed.data && (
        <DataTable
          what="Stage"
          shown
          heads={["planned, s", "began, s"]}
          className={styles.rows}
          lines={timed.data.rows.map((row) => ({
            name: row.stage,
            cells: [row.planned_s.toFixed(1), row.began_s.toFixed(1)],
          }))}
        />
      )}
      <div className="grid gap-1.5 pt-1">
        <Button kind="main" disabled={!able} onClick={kept}>
          Keep them with {shot.machine} <Key>K</Key>
        </Button>
        <ButtonLink to={`/pull/${shot.profile_id}/${shot.number}?dry`}>Run it dry again</ButtonLink>
      </div>
    </aside>
  );
}

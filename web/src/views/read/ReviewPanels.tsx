import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { TriangleAlert } from "lucide-react";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answered, client, type Review, type Shot } from "../../api/client";
import { profilesQuery, seriesQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { useClock } from "../../profile/clock";
import { logWords } from "../../shots/log";
import { Button } from "../../ui/Button";
import { DataTable } from "../../ui/DataTable";
import { ErrorNote } from "../../ui/Messages";
import { FieldError } from "../../ui/NumberField";
import { Segments } from "../../ui/Segments";
import { cn, styles } from "../../ui/styles";
import { SeriesPanel } from "./SeriesPanel";

type Part = "done" | "log" | "series" | "none";

/** Under a shot that is over: planned against done, corrections to keep, repeats, and what was done. */
export function ReviewPanels(props: {
  shot: Shot;
  after: Review | undefined;
  error: Error | null;
}) {
  const { shot, after, error } = props;
  const clock = useClock((state) => state.clock);
  const series = useQuery({
    ...seriesQuery(shot.series_id ?? 0, clock),
    enabled: shot.series_id !== null,
  });
  const [chosen, setPart] = useState<Part>();
  // What can be taken further stands open; the tables wait until asked for.
  const further = after?.correction || after?.followed || after?.too_much;
  const part = chosen ?? (series.data ? "series" : further ? "done" : "none");
  const parts: { value: Part; words: string }[] = [
    {
      value: "done",
      words: after?.flagged ? `Planned and actual, ${after.flagged} off` : "Planned and actual",
    },
    ...(series.data
      ? [
          {
            value: "series" as const,
            words: `Repeats, ${series.data.shots.length} of ${series.data.wanted}`,
          },
        ]
      : []),
    { value: "log", words: `What happened, ${shot.events.length}` },
  ];
  const toggle = (to: Part) => setPart(to === part ? "none" : to);
  return (
    <section className="flex-none pt-2" aria-label="After the shot">
      <div className="flex items-center justify-between gap-3">
        <Segments label="After the shot" value={part} options={parts} onChange={toggle} />
        <a className={styles.word} href={`/api/shots/${shot.id}/traces.csv`} download>
          Traces as CSV
        </a>
      </div>
      <div
        hidden={part === "none"}
        className="grid grid-cols-[minmax(0,_5fr)_minmax(0,_4fr)] gap-y-1 gap-x-5 h-43 pt-1.5 overflow-y-auto max-phone:block max-phone:h-auto hidden:hidden!"
      >
        {error && <ErrorNote error={error} />}
        {part === "done" && after && (
          <>
            <DoneTable after={after} />
            <div className="grid content-start gap-2">
              {after.followed && <FollowedNote followed={after.followed} />}
              {after.correction && <KeepCorrection shot={shot} correction={after.correction} />}
              {!after.followed && !after.correction && (
                <p className="text-quiet">{uncorrected(shot, after)}</p>
              )}
            </div>
          </>
        )}
        {part === "series" && series.data && <SeriesPanel series={series.data} shotId={shot.id} />}
        {part === "log" && <Log shot={shot} />}
      </div>
    </section>
  );
}

function DoneTable({ after }: { after: Review }) {
  return (
    <DataTable
      what="What"
      heads={["planned", "done"]}
      className={styles.doneTable}
      lines={[...after.recipe, ...after.phases].map((line, i) => ({
        id: i, // phases may share a name
        name: line.what,
        "data-done": line.what,
        "data-flagged": line.flagged || undefined,
        cells: [
          line.planned,
          line.flagged ? (
            <span key="done" className="font-semibold text-warn">
              <TriangleAlert size={13} className="mr-1 inline align-[-2px]" aria-label="off" />
              {line.done}
            </span>
          ) : (
            line.done
          ),
        ],
      }))}
    />
  );
}

function FollowedNote({ followed }: { followed: NonNullable<Review["followed"]> }) {
  return (
    <div data-followed={followed.score}>
      <h3>How closely the cues were followed</h3>
      <p>
        <b className={styles.fig} data-part="fig">
          {followed.score.toFixed(0)} %
        </b>{" "}
        {followed.words}
      </p>
      <DataTable
        what="Phase"
        className={cn(styles.doneTable, "mt-1")}
        lines={followed.phases.map((one, i) => ({
          id: i,
          name: one.name,
          cells: [
            `${one.off.toFixed(2)} ${followed.unit} off`,
            `${one.close_pct.toFixed(0)} % close`,
          ],
        }))}
      />
    </div>
  );
}

/** What was done during the shot, as a version that would do it by itself: kept only when said so. */
function KeepCorrection(props: { shot: Shot; correction: NonNullable<Review["correction"]> }) {
  const { shot, correction } = props;
  const navigate = useNavigate();
  const queryClient = useQueryClient();
  const keep = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/profiles/{profile_id}/versions", {
          params: { path: { profile_id: shot.profile_id } },
          body: {
            based_on: correction.newest,
            label: `as corrected in shot ${shot.id}`,
            profile: correction.profile,
          },
        }),
      ),
    onSuccess: (version) => {
      queryClient.invalidateQueries({ queryKey: profilesQuery().queryKey });
      navigate(`/plan/${version.profile_id}`);
    },
  });
  return (
    <div className="rounded-sm border border-rule p-2" data-correction="">
      <h3>Your corrections as a new version</h3>
      <ul className="list-disc pl-5">
        {correction.differences.map((words) => (
          <li key={words}>{words}</li>
        ))}
      </ul>
      {correction.newest !== shot.number && (
        <p className="text-quiet">
          Based on v{shot.number}, which was pulled; v{correction.newest} stays as it is.
        </p>
      )}
      <Button className="mt-1.5" disabled={keep.isPending} onClick={() => keep.mutate()}>
        Save as v{correction.newest + 1}
      </Button>
      {keep.error && <FieldError>{failureWords(keep.error) ?? ""}</FieldError>}
    </div>
  );
}

function Log({ shot }: { shot: Shot }) {
  return (
    <ol className="col-span-full columns-2 gap-x-6 [&_li]:break-inside-avoid [&_li]:py-px [&_li]:px-0 max-phone:columns-1">
      {shot.events.map((event, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: events have no name but their place
        <li key={i} data-log={event.kind}>
          <span className="font-mono text-[12px] text-quiet">{event.time_s.toFixed(1)} s</span>{" "}
          {logWords(event, shot)}
        </li>
      ))}
    </ol>
  );
}

/** Why there is no correction to keep. */
function uncorrected(shot: Shot, after: Review) {
  if (after.too_much) return `Your corrections cannot be saved as a version: ${after.too_much}.`;
  return shot.manual
    ? "Pulled by hand throughout: there is no program to correct."
    : "Nothing was corrected during the shot.";
}

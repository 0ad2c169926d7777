import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { ApiError, answered, client, type RecordingToImport } from "../../api/client";
import { profilesQuery, recordingQuery, shotsQuery } from "../../api/queries";
import { refusalWords } from "../../api/refusals";
import { Traces } from "../../charts/marks";
import { largest, largestLasting } from "../../charts/paths";
import { ShotChart } from "../../charts/ShotChart";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { ErrorNote } from "../../ui/Messages";
import { FieldError } from "../../ui/NumberField";
import { Segments } from "../../ui/Segments";
import { cn, styles } from "../../ui/styles";
import { TextLine } from "../../ui/TextLine";
import { FromPicture } from "./FromPicture";
import { FromSheet } from "./FromSheet";

const WAYS = [
  { value: "sheet", words: "From a table (CSV)" },
  { value: "picture", words: "From a picture" },
] as const;

/** Bring a recording in from elsewhere: what its columns or lines are, a preview, and a shot. */
export function BringIn() {
  const [way, setWay] = useState<(typeof WAYS)[number]["value"]>("sheet");
  const [recording, setRecording] = useState<RecordingToImport>();
  return (
    <div className={styles.plan}>
      <main className={cn(styles.planMain, "gap-3")} data-part="plan-main">
        <div className={cn(styles.planHead, "flex flex-wrap items-center justify-between gap-3")}>
          <h1>Bring a recording in</h1>
          <Segments
            label="From where"
            value={way}
            options={WAYS}
            onChange={(to) => {
              setWay(to);
              setRecording(undefined);
            }}
          />
        </div>
        {way === "sheet" ? (
          <FromSheet ready={setRecording} />
        ) : (
          <FromPicture ready={setRecording} />
        )}
      </main>
      <aside className={cn(styles.forecastColumn, "gap-3!")} aria-label="Preview">
        <h2>Preview</h2>
        {recording ? (
          <Preview recording={recording} from={way} />
        ) : (
          <p className="text-quiet">
            {way === "sheet"
              ? "Say which column is the time and which is a channel."
              : "Mark two points on each axis, then click along the line."}
          </p>
        )}
      </aside>
    </div>
  );
}

function Preview({ recording, from }: { recording: RecordingToImport; from: string }) {
  const preview = useQuery(recordingQuery(recording));
  const traces = preview.data?.traces;
  const problems = preview.error instanceof ApiError ? preview.error.problems : [];
  return (
    <>
      {preview.error && (
        <div className="grid gap-1">
          {problems.length > 0 ? (
            problems.map((one) => (
              <FieldError key={one.field}>{`${one.field}: ${refusalWords(one)}`}</FieldError>
            ))
          ) : (
            <ErrorNote error={preview.error} />
          )}
        </div>
      )}
      {traces && !preview.isError && (
        <section
          className={cn(styles.sheet, "h-80 flex-none [&_[data-ui=shot-chart]]:min-h-0")}
          aria-label="Preview of the shot"
        >
          <ShotChart
            label="Preview of the recording"
            pressureTitle="Pressure"
            extent={{
              seconds: Math.ceil(Math.max(5, traces.time_s.at(-1) ?? 0)),
              bar: Math.max(2, largest(traces.pressure_bar)),
              flow: Math.max(
                1,
                largest(traces.cup_out_ml_s),
                largestLasting(traces.time_s, traces.water_in_ml_s),
              ),
              grams: Math.max(10, largest(traces.cup_g)),
            }}
          >
            {(chart) => (
              <Traces chart={chart} curves={traces} stop_s={preview.data?.stop_s ?? null} />
            )}
          </ShotChart>
        </section>
      )}
      <Keep
        recording={recording}
        ready={preview.isSuccess && !preview.isPlaceholderData}
        from={from}
      />
    </>
  );
}

const UNKNOWN = "unknown";

/** Name it, say by which version it was pulled, and keep it as a shot on the bench's set-up. */
function Keep(props: { recording: RecordingToImport; ready: boolean; from: string }) {
  const { recording, ready, from } = props;
  const profiles = useQuery(profilesQuery());
  const [name, setName] = useState(from === "sheet" ? "Imported table" : "Traced picture");
  const [by, setBy] = useState(UNKNOWN);
  const navigate = useNavigate();
  const queryClient = useQueryClient();
  const chosen = profiles.data?.find((one) => String(one.id) === by);
  const keep = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/recordings", {
          body: {
            ...recording,
            name,
            profile_id: chosen?.id ?? null,
            number: chosen?.newest ?? null,
          },
        }),
      ),
    onSuccess: async (shot) => {
      await queryClient.invalidateQueries({ queryKey: shotsQuery().queryKey });
      await queryClient.invalidateQueries({ queryKey: profilesQuery().queryKey });
      navigate(`/read/${shot.id}`);
    },
  });
  return (
    <form
      className="grid gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        keep.mutate();
      }}
    >
      <TextLine label="Name" value={name} most={60} onChange={setName} />
      <div className="grid gap-1">
        <span>Pulled by</span>
        <Choice
          label="Pulled by"
          value={by}
          options={[
            { value: UNKNOWN, words: "a profile that is not here" },
            ...(profiles.data ?? []).map((one) => ({
              value: String(one.id),
              words: `${one.name} v${one.newest}`,
            })),
          ]}
          onChange={setBy}
          className="w-full"
        />
      </div>
      <p className="text-quiet">
        Coffee, dose, grind and machine are taken as on the bench. Without its profile, less can be
        read from it.
      </p>
      {keep.error && <ErrorNote error={keep.error} />}
      <Button
        type="submit"
        kind="main"
        className="w-full"
        disabled={!ready || name.trim() === "" || keep.isPending}
      >
        Save as a shot
      </Button>
    </form>
  );
}

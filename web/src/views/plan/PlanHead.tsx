import { useQuery } from "@tanstack/react-query";
import { memo, useState } from "react";
import { Link } from "react-router";
import type { History } from "../../api/client";
import { changesQuery, profilesQuery } from "../../api/queries";
import { useSetup } from "../../api/useSetup";
import { useOverlay } from "../../bench/overlay";
import type { ForecastNow } from "../../profile/useForecast";
import type { Planned } from "../../profile/usePlanned";
import { Button } from "../../ui/Button";
import { Drop } from "../../ui/Drop";
import { moment } from "../../ui/format";
import { PURPOSES, type Purpose, purposeWords } from "../../ui/purposes";
import { Segments } from "../../ui/Segments";
import { cn, styles } from "../../ui/styles";
import { VersionTitle } from "../../ui/VersionTitle";
import { NewProfile } from "./NewProfile";
import { StyleDialog } from "./StyleDialog";
import { TranslateDialog } from "./TranslateDialog";
import { VersionsDialog } from "./VersionsDialog";

interface Props {
  history: History;
  planned: Planned;
  now: ForecastNow;
}

/** The profile's name and state, what the draft changes, and saving it. */
export const PlanHead = memo(function PlanHead({ history, planned, now }: Props) {
  const { profile, saved, dirty } = planned;
  const { shown, open, close } = useOverlay();
  const state = dirty ? "draft, kept here" : savedWords(history);
  return (
    <div className={styles.planHead}>
      <div className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1">
        <VersionTitle
          name={profile.name}
          number={dirty ? saved.number + 1 : saved.number}
          state={state}
        />
        <div className="flex flex-wrap items-center gap-2">
          <ProfilesMenu planned={planned} />
          <Button onClick={() => open("styles")}>Start from a style</Button>
          <Button onClick={() => open("versions")}>Versions</Button>
          <SaveMenu planned={planned} />
        </div>
      </div>
      <Since history={history} planned={planned} now={now} />
      <StyleDialog open={shown === "styles"} close={close} />
      <TranslateDialog open={shown === "translate"} close={close} planned={planned} now={now} />
      <VersionsDialog
        open={shown === "versions"}
        close={close}
        history={history}
        planned={planned}
      />
    </div>
  );
});

function savedWords(history: History) {
  const { label, purpose, saved_at } = history.newest;
  const what = `${label ? `“${label}”, ` : ""}${purpose ? `${purposeWords(purpose)}, ` : ""}`;
  return `${what}saved ${moment(saved_at)}`;
}

/** What changed, in words, and what it should do. */
function Since({ history, planned, now }: Props) {
  const { dirty, saved, id } = planned;
  // Asked about what has been predicted, after it: the curve comes first.
  const profile = now.answered?.profile ?? planned.profile;
  const setup = useSetup();
  const changes = useQuery(changesQuery(setup, id, saved.number, profile, dirty && Boolean(setup)));
  const line = history.versions[0];
  const words = dirty ? changes.data?.differences : line?.differences;
  const since = dirty ? saved.number : line?.based_on;
  const effect = dirty ? effectWords(changes.data) : "";
  const text = words?.length
    ? `${sentence(words.join("; "))}.`
    : (planned.profile.note.split("\n")[0] ?? "");
  return (
    <p className="mt-1 line-clamp-1 min-h-[18px]" title={text}>
      {words?.length && since
        ? `Since v${since}: ${text} `
        : dirty
          ? `Changed from v${since}.`
          : text}
      <span className="text-quiet">{effect}</span>
    </p>
  );
}

function sentence(words: string) {
  return words.charAt(0).toUpperCase() + words.slice(1);
}

function effectWords(
  since:
    | { shot_time_change_s: number | null; extraction_yield_change_points: number | null }
    | undefined,
) {
  const signed = (value: number) => (value > 0 ? `+${value.toFixed(1)}` : value.toFixed(1));
  const parts = [];
  if (since?.shot_time_change_s) parts.push(`shot ${signed(since.shot_time_change_s)} s`);
  if (since?.extraction_yield_change_points)
    parts.push(`extraction ${signed(since.extraction_yield_change_points)} points`);
  return parts.length ? `${sentence(parts.join(", "))}.` : "";
}

function ProfilesMenu({ planned }: { planned: Planned }) {
  const profiles = useQuery(profilesQuery());
  const [purpose, setPurpose] = useState<Purpose | "">("");
  const tagged = profiles.data?.some((one) => one.purpose !== null);
  const listed = profiles.data?.filter((one) => purpose === "" || one.purpose === purpose);
  return (
    <Drop words="Profiles">
      {(close) => (
        <div className="space-y-3">
          {tagged && (
            <Segments label="Purpose" value={purpose} options={PURPOSES} onChange={setPurpose} />
          )}
          {listed?.length === 0 && <p className="text-quiet">None is for that.</p>}
          <ul className="max-h-64 overflow-y-auto">
            {listed?.map((one) => (
              <li key={one.id}>
                <Link
                  to={`/plan/${one.id}`}
                  onClick={close}
                  aria-current={one.id === planned.id ? "page" : undefined}
                  className="flex items-baseline justify-between gap-3 rounded-sm px-2 py-1 hover:bg-tint aria-[current]:font-semibold"
                >
                  <span className="min-w-0 truncate">{one.name}</span>
                  <span className="shrink-0 text-[13px] font-normal text-quiet">
                    {one.purpose && `${purposeWords(one.purpose)}, `}v{one.newest},{" "}
                    {moment(one.saved_at)}
                  </span>
                </Link>
              </li>
            ))}
          </ul>
          <div className="border-t border-rule pt-3">
            <NewProfile started={close} />
            <Link className={cn(styles.word, "mt-2 inline-block")} to="/tidy" onClick={close}>
              From a recording
            </Link>
          </div>
        </div>
      )}
    </Drop>
  );
}

/** Name, label and note, and the button that makes a version of the draft. */
function SaveMenu({ planned }: { planned: Planned }) {
  const { profile, edit, dirty, save, saved } = planned;
  const [label, setLabel] = useState("");
  return (
    <>
      <Drop words="Name and note">
        {(close) => (
          <form
            className="space-y-2"
            onSubmit={(event) => {
              event.preventDefault();
              save.mutate(label.trim() || null, { onSuccess: () => setLabel("") });
              close();
            }}
          >
            <label className="block">
              Profile's name
              <input
                className={cn(styles.textField, "w-full")}
                data-ui="field"
                value={profile.name}
                onChange={(event) => edit("name", { ...profile, name: event.target.value })}
              />
            </label>
            <label className="block">
              Note
              <textarea
                className={cn(styles.textField, "h-16 w-full py-1 leading-[18px]")}
                data-ui="field"
                value={profile.note}
                onChange={(event) => edit("note", { ...profile, note: event.target.value })}
              />
            </label>
            <label className="block">
              Name for version {saved.number + 1}, if you like
              <input
                className={cn(styles.textField, "w-full")}
                data-ui="field"
                value={label}
                onChange={(event) => setLabel(event.target.value)}
              />
            </label>
            <Button type="submit" disabled={!(dirty || label.trim()) || save.isPending}>
              Save as v{saved.number + 1}
            </Button>
          </form>
        )}
      </Drop>
      <Button disabled={!dirty || save.isPending} onClick={() => save.mutate(null)}>
        {dirty ? `Save as v${saved.number + 1}` : "Saved"}
      </Button>
    </>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answered, client, type Review, type Shot, type ShotReading } from "../../api/client";
import { shotsQuery } from "../../api/queries";
import { useActions } from "../../bench/actions";
import { ClockChoice } from "../../profile/ClockChoice";
import { Figures } from "../../shots/Figures";
import { usePreparing } from "../../shots/preparing";
import { Drink, Strength } from "../../shots/Strength";
import { Button, ButtonLink } from "../../ui/Button";
import { Key } from "../../ui/Key";
import { FieldError } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";
import { Findings } from "./Findings";
import { Repeats } from "./Repeats";
import { ThisPuck } from "./ThisPuck";

/** What the curve says, the shot's figures and strength, and where to go from here. */
export function ReadColumn(props: {
  shot: Shot;
  read: ShotReading | undefined;
  after: Review | undefined;
  open: number | undefined;
  choose: (index: number | undefined) => void;
  light: (index: number | undefined) => void;
}) {
  const { shot, read, after, open, choose, light } = props;
  const navigate = useNavigate();
  const shots = useQuery(shotsQuery());
  const setPreparing = usePreparing((state) => state.set);
  const before = shots.data?.find((one) => one.id < shot.id && one.state === "done");
  const taste = () => navigate(`/taste/${shot.id}`);
  const change = () => navigate(`/next/${shot.id}`);
  const again = () => {
    setPreparing({ series_id: shot.series_id });
    navigate(`/pull/${shot.profile_id}/${shot.number}`);
  };
  useActions("shot", [
    { id: "taste", words: "Taste this shot", key: "t", group: "Here", run: taste },
    { id: "again", words: "Pull it again", key: "p", group: "Here", run: again },
    { id: "what-to-change", words: "What to change next", group: "Here", run: change },
  ]);
  return (
    <aside className={cn(styles.forecastColumn, "gap-2!")} aria-label="Result">
      {read && <Findings {...{ shot, read, open, choose, light }} />}
      {read && <Repeats read={read} />}
      <div className="flex items-center justify-between border-t border-rule pt-2">
        <h2>Result</h2>
        <ClockChoice />
      </div>
      <Figures shot={shot} />
      <div className="flex flex-wrap items-start justify-between gap-x-2">
        {after && !after.weighed && <Drink shot={shot} />}
        <Strength shot={shot} />
        {after?.refractometer && <ReadStrength shot={shot} />}
      </div>
      <div className="grid gap-1.5 pt-1">
        <Button onClick={again}>
          Pull it again <Key>P</Key>
        </Button>
        {before && (
          <ButtonLink to={`/taste/${before.id}/with/${shot.id}`}>
            Compare with the shot before
          </ButtonLink>
        )}
        <ButtonLink to={`/next/${shot.id}`}>What to change next</ButtonLink>
        <ButtonLink to={`/plan/${shot.profile_id}`}>Change one thing in Plan</ButtonLink>
        {!shot.dry && <ThisPuck shot={shot} />}
      </div>
      <div className={styles.columnFoot}>
        <Button kind="main" className="w-full" onClick={taste}>
          Taste this shot <Key>T</Key>
        </Button>
      </div>
    </aside>
  );
}

/** Ask the refractometer instead of typing. */
function ReadStrength({ shot }: { shot: Shot }) {
  const queryClient = useQueryClient();
  const read = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/shots/{shot_id}/strength/read", {
          params: { path: { shot_id: shot.id } },
        }),
      ),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: shotsQuery().queryKey }),
  });
  useActions("refractometer", [
    { id: "read", words: "Read the refractometer", key: "r", group: "Here", run: read.mutate },
  ]);
  return (
    <span className={cn(styles.withError, "w-full")} data-ui="field-frame">
      <Button className="w-full" disabled={read.isPending} onClick={() => read.mutate()}>
        Read the refractometer <Key>R</Key>
      </Button>
      {read.error && <FieldError>{read.error.message}</FieldError>}
    </span>
  );
}

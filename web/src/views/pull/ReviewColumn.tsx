import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import { answered, client, type Review, type Shot } from "../../api/client";
import { shotsQuery } from "../../api/queries";
import { useActions } from "../../bench/actions";
import { Figures } from "../../shots/Figures";
import { Drink, Strength } from "../../shots/Strength";
import { FieldError } from "../../ui/NumberField";
import { usePreparing } from "./preparing";

/** What came of a shot, its strength, and where to go from here. */
export function ReviewColumn({ shot, after }: { shot: Shot; after: Review | undefined }) {
  const navigate = useNavigate();
  const shots = useQuery(shotsQuery());
  const setPreparing = usePreparing((state) => state.set);
  const before = shots.data?.find((one) => one.id < shot.id && one.state === "done");
  const taste = () => navigate(`/taste/${shot.id}`);
  const again = () => {
    setPreparing({ series_id: shot.series_id });
    navigate(`/pull/${shot.profile_id}/${shot.number}`);
  };
  useActions("shot", [
    { id: "taste", words: "Taste this shot", key: "t", group: "Here", run: taste },
    { id: "again", words: "Pull it again", key: "p", group: "Here", run: again },
  ]);
  return (
    <aside className="forecast-column gap-2!" aria-label="Result">
      <h2>Result</h2>
      <Figures shot={shot} />
      <div className="flex flex-wrap items-start justify-between gap-x-2">
        {after && !after.weighed && <Drink shot={shot} />}
        <Strength key={shot.tds_pct} shot={shot} />
        {after?.refractometer && <ReadStrength shot={shot} />}
      </div>
      <div className="grid gap-1.5 pt-1">
        <button type="button" className="btn" onClick={again}>
          Pull it again <kbd className="key">P</kbd>
        </button>
        {after?.can_tidy && (
          <Link className="btn" to={`/tidy/${shot.id}`}>
            Tidy it into a profile
          </Link>
        )}
        {before && (
          <Link className="btn" to={`/taste/${before.id}/with/${shot.id}`}>
            Compare with the shot before
          </Link>
        )}
        <Link className="btn" to={`/plan/${shot.profile_id}`}>
          Change one thing in Plan
        </Link>
      </div>
      <button type="button" className="btn btn-main mt-auto w-full" onClick={taste}>
        Taste this shot <kbd className="key">T</kbd>
      </button>
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
    <span className="with-error w-full">
      <button
        type="button"
        className="btn w-full"
        disabled={read.isPending}
        onClick={() => read.mutate()}
      >
        Read the refractometer <kbd className="key">R</kbd>
      </button>
      {read.error && <FieldError>{read.error.message}</FieldError>}
    </span>
  );
}

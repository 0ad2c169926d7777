import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answered, client, type FitLine, type Taught } from "../../api/client";
import { keepAnswer } from "../../api/keepAnswer";
import { type Three, taughtQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { nameOf, useLearning } from "../../api/useLearningNews";
import { Button } from "../../ui/Button";
import { moment } from "../../ui/format";
import { FieldError } from "../../ui/NumberField";
import { Panel } from "../../ui/Panel";
import { styles } from "../../ui/styles";

type Take = "newest" | "nothing" | "this";

/** What forecasts take, why, and the way to something else. */
export function InUse({ three, taught }: { three: Three; taught: Taught }) {
  const change = useChange(three);
  const choose = (take: Take, knowledge_id: number | null = null) =>
    change.mutate(() =>
      answered(
        client.PUT("/api/learn/of/{coffee_id}/{grinder_id}/{machine_id}/choice", {
          params: { path: three },
          body: { take, knowledge_id },
        }),
      ),
    );
  const fit = taught.fits.find((one) => one.id === taught.in_force);
  return (
    <>
      <Panel name="Forecasts use">
        <Used taught={taught} fit={fit} />
        <Job three={three} taught={taught} change={change} />
        <div className="flex flex-wrap gap-2">
          {taught.how !== "newest" && (
            <Button onClick={() => choose("newest")} disabled={change.isPending}>
              Use the newest
            </Button>
          )}
          {taught.how !== "nothing" && taught.in_force !== null && (
            <Button onClick={() => choose("nothing")} disabled={change.isPending}>
              Use none of it
            </Button>
          )}
        </div>
        {change.error && <FieldError>{failureWords(change.error) ?? ""}</FieldError>}
      </Panel>
      {taught.fits.length > 1 && (
        <Panel name="Learnt before">
          <ul className={styles.older}>
            {taught.fits.map((one) => (
              <li key={one.id} data-fit={one.id}>
                <span>
                  {moment(one.created_at)}: {one.shots === 1 ? "1 shot" : `${one.shots} shots`}
                  {one.held_out?.time_pct != null && (
                    <span className="text-quiet">, {one.held_out.time_pct.toFixed(1)} % off</span>
                  )}
                  {!one.current && (
                    <span className="block text-small text-quiet">
                      Coffee, grinder or machine was changed since.
                    </span>
                  )}
                </span>
                {one.id === taught.in_force ? (
                  <b className="text-action">in use</b>
                ) : (
                  one.current && (
                    <Button
                      aria-label={`Use this, learnt ${moment(one.created_at)}`}
                      onClick={() => choose("this", one.id)}
                      disabled={change.isPending}
                    >
                      Use this
                    </Button>
                  )
                )}
              </li>
            ))}
          </ul>
        </Panel>
      )}
    </>
  );
}

/** Changes what is used, or the job; every page reads again what forecasts take. */
function useChange(three: Three) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (ask: () => Promise<Taught>) => ask(),
    onSuccess: async (taught) => {
      await keepAnswer(queryClient, taughtQuery(three).queryKey, taught);
      queryClient.invalidateQueries({ queryKey: ["bench"] });
      queryClient.invalidateQueries({ queryKey: ["taught"] });
    },
  });
}

function Used({ taught, fit }: { taught: Taught; fit: FitLine | undefined }) {
  const { newest, how } = taught;
  const shots = (count: number) => (count === 1 ? "1 shot" : `${count} shots`);
  if (fit)
    return (
      <>
        <p data-part="in-use">
          What{" "}
          <b>
            {shots(fit.shots)}
            {fit.strengths > 0 && `, ${fit.strengths} with a measured strength,`}
          </b>{" "}
          taught{how === "kept" && `, as you chose: new shots change nothing`}.
        </p>
        <p className="text-quiet">{fit.because}</p>
      </>
    );
  if (how === "nothing")
    return <p data-part="in-use">Nothing that was learnt here, as you chose.</p>;
  if (!newest) return <p data-part="in-use">Nothing yet: no shot has been learnt from.</p>;
  if (!newest.current)
    return (
      <p data-part="in-use">
        Nothing: coffee, grinder or machine was changed since, and it is learnt again.
      </p>
    );
  return (
    <>
      <p data-part="in-use">
        <b>Nothing of it yet.</b> What {shots(newest.shots)} taught lost to a simpler guess.
      </p>
      <p className="text-quiet">{newest.because}</p>
    </>
  );
}

/** Learning that waits or runs, with a way to call it off; or a way to ask for it. */
function Job(props: { three: Three; taught: Taught; change: ReturnType<typeof useChange> }) {
  const { three, taught, change } = props;
  const share = useLearning((state) => state.shares[nameOf(three)]);
  const path = "/api/learn/of/{coffee_id}/{grinder_id}/{machine_id}/job";
  const params = { params: { path: three } };
  if (taught.job === null && share === undefined) return null;
  if (taught.job === "failed" && share === undefined)
    return (
      <p data-part="job" role="alert" className="flex items-center justify-between gap-2 text-warn">
        Learning from these shots failed; the log says why.
        <Button
          disabled={change.isPending}
          onClick={() => change.mutate(() => answered(client.POST(path, params)))}
        >
          Try again
        </Button>
      </p>
    );
  const words = share === undefined ? "Waits to be learnt from" : "Learning";
  return (
    <div data-part="job" role="status">
      <p className="flex items-center justify-between gap-2">
        {words}
        <Button
          disabled={change.isPending}
          onClick={() => change.mutate(() => answered(client.DELETE(path, params)))}
        >
          Call off
        </Button>
      </p>
      <progress className="w-full" value={share ?? 0} max={1} aria-label={words} />
    </div>
  );
}

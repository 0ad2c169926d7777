import { useCallback, useRef, useState } from "react";
import { ApiError, answered, client, type OrderGiven } from "./client";
import { tabId } from "./tab";
import type { Live } from "./useLive";

type Order = Omit<OrderGiven, "page">;

export interface Orders {
  give: (order: Order) => void;
  /**
   * A level held by hand: only the newest is sent once the one on its way has come through.
   * Resolves when none is on its way any more.
   */
  hold: (level: number) => Promise<void>;
  /** Stop the shot now: it waits for no other order, and none that still waits is given. */
  stop: () => void;
  error: string | undefined;
}

/** Orders from this page to a running shot, one after the other; the stop before all. */
export function useOrders(shotId: number, live: Live): Orders {
  const [error, setError] = useState<string>();
  const line = useRef(Promise.resolve());
  const wanted = useRef<number>(undefined);
  const sending = useRef<Promise<void>>(undefined);
  const stops = useRef(0);
  const { stop: stopOverLine } = live;

  const send = useCallback(
    (order: Order) =>
      answered(
        client.POST("/api/shots/{shot_id}/orders", {
          params: { path: { shot_id: shotId } },
          body: { page: tabId(), ...order },
        }),
      ).then(
        () => setError(undefined),
        (failed) => setError(failed instanceof ApiError ? failed.message : String(failed)),
      ),
    [shotId],
  );
  const give = useCallback(
    (order: Order) => {
      const before = stops.current;
      line.current = line.current.then(() => (stops.current === before ? send(order) : undefined));
    },
    [send],
  );
  const sendNewest = useCallback(async () => {
    while (wanted.current !== undefined) {
      const next = wanted.current;
      wanted.current = undefined;
      await send({ do: "level", level: next });
    }
    sending.current = undefined;
  }, [send]);
  const hold = useCallback(
    (level: number) => {
      wanted.current = level;
      sending.current ??= sendNewest();
      return sending.current;
    },
    [sendNewest],
  );
  const stop = useCallback(() => {
    stops.current += 1;
    line.current = Promise.resolve();
    wanted.current = undefined;
    stopOverLine().then(
      (refusal) => setError(refusal ?? undefined),
      () => send({ do: "stop" }),
    );
  }, [send, stopOverLine]);
  return { give, hold, stop, error };
}

import { useCallback, useRef, useState } from "react";
import { ApiError, answered, client, type OrderGiven } from "./client";
import { tabId } from "./tab";

type Order = Omit<OrderGiven, "page">;

export interface Orders {
  give: (order: Order) => void;
  /** A level held by hand: only the newest is sent once the one on its way has come through. */
  hold: (level: number) => void;
  error: string | undefined;
}

/** Orders from this page to a running shot, one after the other. */
export function useOrders(shotId: number): Orders {
  const [error, setError] = useState<string>();
  const line = useRef(Promise.resolve());
  const wanted = useRef<number>(undefined);
  const sending = useRef(false);

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
      line.current = line.current.then(() => send(order));
    },
    [send],
  );
  const hold = useCallback(
    async (level: number) => {
      wanted.current = level;
      if (sending.current) return;
      sending.current = true;
      while (wanted.current !== undefined) {
        const next = wanted.current;
        wanted.current = undefined;
        await send({ do: "level", level: next });
      }
      sending.current = false;
    },
    [send],
  );
  return { give, hold, error };
}

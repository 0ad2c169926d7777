import { answered, type Coffee, client, type Grinder } from "../api/client";
import type { Json } from "../ui/DocumentForm";

export const ROASTS = ["light", "medium-light", "medium", "medium-dark", "dark"].map((value) => ({
  value,
  words: value,
}));

export const NEW_COFFEE = {
  name: "",
  roast: "medium",
  roasted_on: null,
  bag_g: null,
  bag_price: null,
  process: "",
  decaf: false,
  blend: false,
  density_g_ml: null,
  crema_ml_per_g: null,
  lot: "",
  variety: "",
  dried: "",
  crop: null,
  altitude_m: null,
  score: null,
  note: "",
};

export const NEW_GRINDER = {
  name: "",
  settings: [null, null],
  grind_um: [null, null],
  fines_pct: null,
  size_spread: 0,
  step: null,
  retention_g: 0,
  note: "",
};

/** Something on the shelf as it was read. */
export interface Stored {
  id: number;
  etag: string;
}

/** To write only over what was read. */
export function ifStill(stored: Stored) {
  return { "If-Match": stored.etag };
}

/** Write a coffee: a new one over none. */
export function writeCoffee(document: Json, of?: Stored) {
  const body = document as unknown as Coffee;
  return answered(
    of === undefined
      ? client.POST("/api/coffees", { body })
      : client.PUT("/api/coffees/{coffee_id}", {
          params: { path: { coffee_id: of.id }, header: ifStill(of) },
          body,
        }),
  );
}

/** Write a grinder: a new one over none. */
export function writeGrinder(document: Json, of?: Stored) {
  const body = document as unknown as Grinder;
  return answered(
    of === undefined
      ? client.POST("/api/grinders", { body })
      : client.PUT("/api/grinders/{grinder_id}", {
          params: { path: { grinder_id: of.id }, header: ifStill(of) },
          body,
        }),
  );
}

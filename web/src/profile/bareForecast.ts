import type { Forecast, Prediction } from "../api/client";

/** A prediction as a chart takes it: a forecast that says nothing beside the curves. */
export function bareForecast(prediction: Prediction, goal_cup_g = 0): Forecast {
  return {
    prediction,
    goal_cup_g,
    stop_offer: null,
    strength_offer: null,
    assumed: [],
    notices: [],
    misfits: [],
    runs_in: [],
    cautions: [],
  };
}

/** The unit that words of the server come in, as the reader chose it. */
let temperature: "C" | "F" = "C";

export function readTemperaturesIn(unit: "C" | "F") {
  temperature = unit;
}

export const temperatureRead = () => temperature;

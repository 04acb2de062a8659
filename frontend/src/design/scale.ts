/** Where a value of a setting lies between its ends, 0 to 1, and back: what the ear measures in ratios is laid out by ratios. */
import type { Parameter } from "../api/types";

export function placeOf(parameter: Parameter, value: number): number {
  const { low, high, curve } = parameter;
  return curve === "log" ? Math.log(Math.max(value, low) / low) / Math.log(high / low) : (value - low) / (high - low);
}

export function valueAt(parameter: Parameter, place: number): number {
  const { low, high, curve } = parameter;
  return curve === "log" ? low * (high / low) ** place : low + (high - low) * place;
}

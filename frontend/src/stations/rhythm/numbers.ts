/** Numbers that are asked for by a tool and stand in no record. */
import type { Parameter } from "../../api/types";

export function numberOf(
  name: string,
  label: string,
  unit: string,
  low: number,
  high: number,
  standard: number,
  step: number,
  digits: number,
): Parameter {
  return { name, label, unit, low, high, default: standard, step, digits, help: "", curve: "linear" };
}

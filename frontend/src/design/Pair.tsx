/** A number twice: as a slider, and to be read and typed. They lie side by side in the grid around them. */
import type { Parameter } from "../api/types";
import { NumberField } from "./NumberField";
import { Slider } from "./Slider";

interface Props {
  parameter: Parameter;
  value: number;
  onChange: (value: number, gesture: string) => void;
  label?: string;
}

export function Pair(props: Props) {
  return (
    <>
      <Slider {...props} />
      <NumberField align="right" {...props} />
    </>
  );
}

/** Lengths of steps as they are called. */
export const RATES: { step: number; label: string; short: string }[] = [
  { step: 1, label: "quarters", short: "1/4" },
  { step: 0.75, label: "dotted 8ths", short: "1/8." },
  { step: 0.5, label: "8ths", short: "1/8" },
  { step: 0.375, label: "dotted 16ths", short: "1/16." },
  { step: 1 / 3, label: "8th triplets", short: "1/8t" },
  { step: 0.25, label: "16ths", short: "1/16" },
  { step: 1 / 6, label: "16th triplets", short: "1/16t" },
  { step: 0.125, label: "32nds", short: "1/32" },
];

export function rateName(step: number): string {
  return RATES.find((rate) => Math.abs(rate.step - step) < 1e-6)?.label ?? `${step} beats`;
}

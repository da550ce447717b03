/** A level as people read it: a true minus, one digit behind the point unless told. */
export function decibelText(value: number, digits = 1): string {
  return value.toFixed(digits).replace('-', '−')
}

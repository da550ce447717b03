import { NumberField } from './NumberField'

const LARGEST = 30

/** By how much phrases are stretched at most, in per cent. */
export function StretchField({ most, onSet }: { most: number; onSet: (most: number) => void }) {
  return (
    <NumberField
      label="stretch, % at most"
      value={most}
      min={0}
      max={LARGEST}
      onSet={(value) => onSet(Math.max(0, Math.min(LARGEST, value)))}
    />
  )
}

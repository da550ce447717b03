import { NumberInput } from '@mantine/core'

type NumberFieldProps = {
  label: string
  /** None: nothing is set. */
  value: number | null
  min: number
  max: number
  step?: number
  /** Another number was typed; told when the field is left or Enter is pressed. */
  onSet: (value: number) => void
  /** The field was emptied; without this it goes back to what it was. */
  onClear?: () => void
  placeholder?: string
}

/** A number that is set when it has been typed, not at every sign. */
export function NumberField({ label, value, min, max, step = 1, onSet, onClear, placeholder }: NumberFieldProps) {
  return (
    <NumberInput
      size="xs"
      label={label}
      key={value}
      defaultValue={value ?? undefined}
      placeholder={placeholder}
      min={min}
      max={max}
      step={step}
      onBlur={(event) => {
        const typed = Number(event.currentTarget.value.replace(',', '.').replace('−', '-'))
        if (event.currentTarget.value === '' && value !== null) onClear?.()
        if (event.currentTarget.value !== '' && Number.isFinite(typed) && typed !== value) onSet(typed)
      }}
      onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
    />
  )
}

import { Button, Modal, TextInput } from '@mantine/core'
import { useEffect, useState } from 'react'
import { answered, client, type Production } from '../api/client'
import { useSettings } from '../api/production'

const FIELDS = ['production', 'folder', 'line', 'words', 'reader', 'date', 'take']

/** How files are named, with a live example made by the server's own rules. */
export function NamePattern({
  production,
  opened,
  onClose,
}: {
  production: Production
  opened: boolean
  onClose: () => void
}) {
  const [pattern, setPattern] = useState(production.name_pattern)
  const [example, setExample] = useState('')
  const [said, setSaid] = useState('')
  const settings = useSettings(production.id)
  useEffect(() => {
    if (!opened) return
    const asked = setTimeout(async () => {
      try {
        const path = { production_id: production.id }
        const found = await answered(
          client.POST('/api/productions/{production_id}/name-example/', { params: { path }, body: { pattern } }),
        )
        setExample(found.example)
        setSaid('')
      } catch (error) {
        setSaid(error instanceof Error ? error.message : 'This pattern can’t be used.')
      }
    }, 150)
    return () => clearTimeout(asked)
  }, [pattern, opened, production.id])
  return (
    <Modal opened={opened} onClose={onClose} title="How files are named" size="lg">
      <TextInput
        label="Pattern"
        value={pattern}
        onChange={(event) => setPattern(event.currentTarget.value)}
        error={said}
        data-autofocus
      />
      <div className="fields-row">
        {FIELDS.map((field) => (
          <Button key={field} size="compact-sm" variant="default" onClick={() => setPattern(`${pattern} {${field}}`)}>
            {field}
          </Button>
        ))}
      </div>
      <p className="quiet">The next take of the first line would be called</p>
      <p className="file-example">{example}</p>
      <p className="quiet">Names that are there already stay as they are.</p>
      <div className="dialog-row">
        <Button
          disabled={Boolean(said)}
          onClick={() =>
            settings.mutate({ name_pattern: pattern }, { onSuccess: onClose, onError: (error) => setSaid(error.message) })
          }
        >
          Name new takes like this
        </Button>
      </div>
    </Modal>
  )
}

import { Button, Menu, Modal, TextInput } from '@mantine/core'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answered, client, type Production } from '../api/client'
import { refetchProduction, useSettings } from '../api/production'
import { sayProblem } from './messages'
import { NamePattern } from './NamePattern'
import { RoomMenu } from './RoomMenu'

/** The folder where takes land now, always in sight; and how their files are named. */
export function Landing({ production }: { production: Production }) {
  const settings = useSettings(production.id)
  const queries = useQueryClient()
  const [making, setMaking] = useState(false)
  const [naming, setNaming] = useState(false)
  const [renaming, setRenaming] = useState(false)
  const [name, setName] = useState('')
  const [said, setSaid] = useState('')
  const landing = production.folders.find((folder) => folder.id === production.landing)
  const make = async (parent: string | null) => {
    try {
      const path = { production_id: production.id }
      await answered(client.POST('/api/productions/{production_id}/folders/', { params: { path }, body: { name, parent } }))
      await refetchProduction(queries, production.id)
      setMaking(false)
    } catch (error) {
      setSaid(error instanceof Error ? error.message : 'The folder could not be made.')
    }
  }
  return (
    <span className="lands">
      takes land in{' '}
      <RoomMenu position="bottom-start" withinPortal>
        <Menu.Target>
          <button type="button" className="lands-folder" aria-label="choose where takes land">
            {landing?.path.replaceAll('/', ' / ') ?? 'no folder'}
          </button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Label>takes land in</Menu.Label>
          {production.folders.map((folder) => (
            <Menu.Item
              key={folder.id}
              onClick={() => settings.mutate({ landing: folder.id }, { onError: sayProblem })}
              fw={folder.id === production.landing ? 700 : 400}
            >
              {folder.path.replaceAll('/', ' / ')}
            </Menu.Item>
          ))}
          <Menu.Divider />
          <Menu.Item
            onClick={() => {
              setName('')
              setSaid('')
              setMaking(true)
            }}
          >
            New folder
          </Menu.Item>
          {landing && <Menu.Item onClick={() => setRenaming(true)}>Rename this folder</Menu.Item>}
          <Menu.Item onClick={() => setNaming(true)}>How files are named</Menu.Item>
        </Menu.Dropdown>
      </RoomMenu>
      <Modal opened={making} onClose={() => setMaking(false)} title="New folder">
        <form
          onSubmit={(event) => {
            event.preventDefault()
            void make(null)
          }}
        >
          <TextInput
            label="Name"
            value={name}
            onChange={(e) => setName(e.currentTarget.value)}
            error={said}
            data-autofocus
          />
          <div className="dialog-row">
            <Button type="submit">Make it, and let takes land there</Button>
            {landing && (
              <Button variant="default" onClick={() => void make(landing.id)}>
                Make it inside “{landing.path.split('/').at(-1)}”
              </Button>
            )}
          </div>
        </form>
      </Modal>
      {landing && (
        <FolderName
          key={landing.path}
          folder={landing}
          production={production}
          opened={renaming}
          onClose={() => setRenaming(false)}
        />
      )}
      <NamePattern production={production} opened={naming} onClose={() => setNaming(false)} />
    </span>
  )
}

/** Another name for the folder where takes land. */
function FolderName({
  production,
  folder,
  opened,
  onClose,
}: {
  production: Production
  folder: Production['folders'][number]
  opened: boolean
  onClose: () => void
}) {
  const queries = useQueryClient()
  const [name, setName] = useState(folder.path.split('/').at(-1)!)
  const rename = useMutation({
    mutationFn: () =>
      answered(client.PATCH('/api/folders/{folder_id}/', { params: { path: { folder_id: folder.id } }, body: { name } })),
    onSuccess: async () => {
      onClose()
      await refetchProduction(queries, production.id)
    },
  })
  return (
    <Modal opened={opened} onClose={onClose} title="Another name for the folder">
      <form
        onSubmit={(event) => {
          event.preventDefault()
          rename.mutate()
        }}
      >
        <TextInput
          label="Name"
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
          error={rename.error?.message}
          data-autofocus
        />
        <p className="quiet">It is renamed on the disk too; the files in it keep their names.</p>
        <div className="dialog-row">
          <Button type="submit" disabled={!name.trim()} loading={rename.isPending}>
            Rename
          </Button>
        </div>
      </form>
    </Modal>
  )
}

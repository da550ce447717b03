import { Button, Menu, Modal, TextInput } from '@mantine/core'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answered, client, type Take } from '../../api/client'
import { addTake } from '../../api/production'
import { sayProblem } from '../../app/messages'
import { useRoom } from '../../app/room'

/** Where a take's file lies; it is downloaded, renamed or moved from here. */
export function TakeFile({ take }: { take: Take }) {
  const { production } = useRoom()
  const queries = useQueryClient()
  const [naming, setNaming] = useState(false)
  const file = useMutation({
    mutationFn: (body: { folder?: string; name?: string }) =>
      answered(client.POST('/api/takes/{take_id}/file/', { params: { path: { take_id: take.id } }, body })),
    onSuccess: (moved) => addTake(queries, production.id, moved),
    onError: sayProblem,
  })
  const others = production.folders.filter(({ path }) => path !== take.folder)
  return (
    <>
      <Menu position="bottom-end" width={300}>
        <Menu.Target>
          <button type="button" className="take-file" aria-label={`file of take ${take.number}`}>
            file
          </button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Label className="take-path">
            media/{production.directory}/{take.folder}/{take.file}
          </Menu.Label>
          <Menu.Item component="a" href={`/api/takes/${take.id}/recording/?download=1`} download>
            Download the WAV
          </Menu.Item>
          <Menu.Item onClick={() => setNaming(true)}>Rename</Menu.Item>
          {others.length > 0 && <Menu.Label>move it to</Menu.Label>}
          {others.map((folder) => (
            <Menu.Item key={folder.id} onClick={() => file.mutate({ folder: folder.id })}>
              {folder.path.replaceAll('/', ' / ')}
            </Menu.Item>
          ))}
        </Menu.Dropdown>
      </Menu>
      <Modal opened={naming} onClose={() => setNaming(false)} title="Another name for the file">
        <form
          onSubmit={(event) => {
            event.preventDefault()
            const name = new FormData(event.currentTarget).get('name')?.toString().trim()
            if (name) file.mutate({ name })
            setNaming(false)
          }}
        >
          <TextInput name="name" label="Name" defaultValue={take.file.replace(/\.wav$/, '')} data-autofocus />
          <p className="quiet">The sound in it, and what it says of itself, stay as they are.</p>
          <div className="dialog-row">
            <Button type="submit">Rename</Button>
          </div>
        </form>
      </Modal>
    </>
  )
}

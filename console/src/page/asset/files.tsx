import { useState } from 'react'
import { FileTrigger } from 'react-aria-components'
import styled from 'styled-components'
import { addPaper, addPhoto, attachment, dropAttachment } from '../../api/asset'
import type { AssetPage, Attachment } from '../../api/client'
import { useAct } from '../../api/queries'
import { useSite } from '../../api/site'
import { bytes, clock } from '../../api/words'
import { Failure, Picture, QuietButton, QuietLink, Row, Soft, Subheading } from '../../ui/basics'
import { Dialog } from '../../ui/dialog'
import { Sure } from '../../ui/sure'

const Sheet = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(120px, 1fr));
  gap: var(--gap-2);
  button {
    padding: 0;
    border: 0;
    background: var(--sunk);
    border-radius: var(--radius);
    cursor: pointer;
    overflow: hidden;
  }
  img {
    display: block;
    width: 100%;
    aspect-ratio: 4 / 3;
    object-fit: cover;
  }
`
const Papers = styled.ul`
  list-style: none;
  padding: 0;
  li {
    padding: 4px 0;
  }
`

/** Its photos and papers: to look at, to add, to remove. */
export function Attachments({ page: p, keeper }: { page: AssetPage; keeper: boolean }) {
  const name = p.asset.name
  const [open, setOpen] = useState<Attachment>()
  const photo = useAct((f: File) => addPhoto(name, f))
  const paper = useAct((f: File) => addPaper(name, f))
  const drop = (id: number) => dropAttachment(name, id)
  const photos = p.attachments.filter((a) => a.kind === 'photo')
  const papers = p.attachments.filter((a) => a.kind === 'paper')
  const failed = photo.error ?? paper.error
  if (!keeper && p.attachments.length === 0) return null
  return (
    <>
      <Subheading>Photos and papers</Subheading>
      {photos.length > 0 && (
        <Sheet>
          {photos.map((a) => (
            <button key={a.id} type="button" onClick={() => setOpen(a)}>
              <img src={attachment(name, a.id, true)} alt={a.name} loading="lazy" />
            </button>
          ))}
        </Sheet>
      )}
      <Papers>
        {papers.map((a) => (
          <li key={a.id}>
            <QuietLink href={attachment(name, a.id)} download>
              {a.name}
            </QuietLink>{' '}
            <Soft>{bytes(a.size)}</Soft> {keeper && <RemoveFile file={a} drop={drop} />}
          </li>
        ))}
      </Papers>
      {keeper && (
        <Row>
          <FileTrigger
            acceptedFileTypes={['image/png', 'image/jpeg', 'image/webp']}
            onSelect={(files) => files?.[0] && photo.mutate(files[0])}
          >
            <QuietButton isDisabled={photo.isPending}>{photo.isPending ? 'Uploading …' : 'Add a photo …'}</QuietButton>
          </FileTrigger>
          <FileTrigger
            acceptedFileTypes={['application/pdf']}
            onSelect={(files) => files?.[0] && paper.mutate(files[0])}
          >
            <QuietButton isDisabled={paper.isPending}>{paper.isPending ? 'Uploading …' : 'Add a paper …'}</QuietButton>
          </FileTrigger>
        </Row>
      )}
      {failed && <Failure error={failed} />}
      {open && <Photo asset={name} photo={open} onClose={() => setOpen(undefined)} drop={keeper ? drop : undefined} />}
    </>
  )
}

type Drop = (id: number) => Promise<unknown>

const RemoveFile = ({ file: a, drop, done }: { file: Attachment; drop: Drop; done?: () => void }) => (
  <Sure
    name={`Remove ${a.name}`}
    short="Remove"
    says="It goes from the page of its asset."
    act={() => drop(a.id)}
    gone={{ kind: 'attachment', name: String(a.id) }}
    done={done}
  />
)

type PhotoProps = {
  asset: string
  photo: Attachment
  onClose: () => void
  drop?: Drop
}

function Photo({ asset, photo: a, onClose, drop }: PhotoProps) {
  const zone = useSite().data?.zone ?? 'UTC'
  return (
    <Dialog title={a.name} open onClose={onClose} wide>
      <Picture src={attachment(asset, a.id)} alt={a.name} />
      <p>
        <Soft>
          {a.by}, {clock(a.at, zone, { day: 'numeric', month: 'long', year: 'numeric' })} · {a.width} × {a.height}
        </Soft>
      </p>
      <Row>
        {drop && <RemoveFile file={a} drop={drop} done={onClose} />}
        <QuietButton onPress={onClose}>Close</QuietButton>
      </Row>
    </Dialog>
  )
}

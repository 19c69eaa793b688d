import { useQuery } from '@tanstack/react-query'
import styled from 'styled-components'
import { useStanding } from '../api/alarm'
import { keyOf } from '../api/changes'
import { api, take } from '../api/client'
import { useNow } from '../api/live'
import { age, byUrgency, clock, length, sentence } from '../api/words'
import { TileBox } from './box'
import { type TileProps, useSight } from './context'
import { PlainLink, Soft } from '../ui/basics'
import { Shape } from '../ui/severity'

const Entries = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  li {
    padding: 6px 0;
    border-bottom: var(--hair);
    line-height: 1.35;
  }
  li[data-wrong] {
    font-weight: 620;
  }
`

/** What is wrong now, and what happened, newest first; of some signals alone, when the tile has some. */
export function JournalTile({ tile }: TileProps) {
  const { zone } = useSight()
  const now = useNow()
  const of = (tile.series ?? []).map((s) => s.signal)
  const concerns = (subject: string) => !of.length || of.some((p) => p === subject || p.split('/')[0] === subject)
  const wrong = (useStanding().data ?? []).filter((a) => concerns(a.signal)).sort(byUrgency)
  const entries = useQuery({
    queryKey: keyOf('journal', 'tile', of.length > 0),
    queryFn: () => take(api.GET('/api/v1/journal', { params: { query: { limit: of.length ? 400 : 60 } } })),
    refetchInterval: 15_000,
  }).data
  const told = (entries ?? []).filter((e) => concerns(e.subject)).slice(0, 60)
  const named = { ...tile, title: tile.title || 'Journal' }
  return (
    <TileBox tile={named} to="/journal" scrolls>
      <Entries>
        {wrong.map((a) => (
          <li key={`a${a.id}`} data-wrong>
            <Shape of={a.severity} /> <PlainLink href={`/alarms/${a.id}`}>{sentence(a)}</PlainLink>{' '}
            <Soft>for {length(now - Date.parse(a.raised_at))}</Soft>
          </li>
        ))}
        {wrong.length === 0 && <li>Nothing is wrong now.</li>}
        {told.map((e) => (
          <li key={e.id}>
            <Soft title={age(e.at, now)}>
              {clock(
                e.at,
                zone,
                now - Date.parse(e.at) > 18 * 3600_000
                  ? { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }
                  : undefined,
              )}
            </Soft>{' '}
            {e.alarm_id ? <PlainLink href={`/alarms/${e.alarm_id}`}>{e.text}</PlainLink> : e.text}
          </li>
        ))}
      </Entries>
    </TileBox>
  )
}

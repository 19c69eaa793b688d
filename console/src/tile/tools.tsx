import { useState } from 'react'
import type { Rows } from '../chart/save'
import { saveCSV, savePNG, saveSVG } from '../chart/save'
import { Num, Prose, Scroll, Soft, Table } from '../ui/basics'
import { Dialog } from '../ui/dialog'
import { Menu } from '../ui/menu'
import { figure } from '../api/words'

type Props = {
  title: string
  rows: () => Rows // what is seen, as a table
  drawing: () => { svg: string; width: number; height: number } | undefined
  more?: { name: string; act: () => void }[]
}

/** What a chart can be taken out as: a table, PNG, SVG, CSV. */
export function ChartTools({ title, rows, drawing, more = [] }: Props) {
  const [table, setTable] = useState<Rows>()
  const draw = (keep: (d: { svg: string; width: number; height: number }) => void) => () => {
    const d = drawing()
    if (d) keep(d)
  }
  return (
    <>
      <Menu
        small
        label={`What to do with ${title}`}
        face="···"
        items={[
          { name: 'Values as a table', act: () => setTable(rows()) },
          { name: 'Save as CSV', act: () => saveCSV(title, rows()) },
          { name: 'Save as PNG', act: draw((d) => void savePNG(title, d.svg, d.width, d.height)) },
          { name: 'Save as SVG', act: draw((d) => saveSVG(title, d.svg)) },
          ...more,
        ]}
      />
      <Dialog title={title} open={table !== undefined} onClose={() => setTable(undefined)} wide>
        {table && <RowsTable table={table} label={title} />}
      </Dialog>
    </>
  )
}

const most = 500

function RowsTable({ table, label }: { table: Rows; label: string }) {
  const rows = table.rows.slice(-most).reverse()
  if (rows.length === 0) return <Prose>There is nothing in this stretch.</Prose>
  return (
    <>
      <Prose>
        <Soft>
          {rows.length < table.rows.length
            ? `The newest ${rows.length} of ${table.rows.length}; the CSV has all.`
            : `${rows.length} rows.`}
        </Soft>
      </Prose>
      <Scroll tabIndex={0} role="region" aria-label={label} data-values>
        <Table>
          <thead>
            <tr>
              {table.heads.map((h) => (
                <th scope="col" key={h}>
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((r, i) => (
              <tr key={i}>
                {r.map((v, j) => (
                  <Num key={j}>{typeof v === 'number' ? figure(v) : v}</Num>
                ))}
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
    </>
  )
}

'use client'
import {
  createSortedRowModel,
  rowSortingFeature,
  sortFn_basic,
  tableFeatures,
  useTable,
  type ColumnDef,
  type RowData,
} from '@tanstack/react-table'
import { useVirtualizer } from '@tanstack/react-virtual'
import { ArrowDown, ArrowUp } from 'lucide-react'
import { useRef, type ReactNode } from 'react'

export interface Column<Row> {
  readonly id: string
  /** In words; a column of marks alone hides it from the eye, not from the reader. */
  readonly header: string
  readonly hideHeader?: true
  readonly title?: string
  cell(row: Row, index: number): ReactNode
  /** What rows are put in order by; left out where an order says nothing. */
  sortBy?(row: Row): number | string
  /** Names the row. */
  readonly names?: true
  /** Words stand left, figures right. @defaultValue right, but for the column that names the row */
  readonly align?: 'left' | 'right'
}

const FEATURES = tableFeatures({
  rowSortingFeature,
  sortedRowModel: createSortedRowModel(),
  sortFns: { basic: sortFn_basic },
})

/** Rows beyond this scroll in a window of their own, and only those in sight are drawn. */
const MAX_ROWS = 60
const ROW_PX = 29
const WINDOW_PX = 420

/** A table of rows with named columns, put in order by a click on a column's head where that says something. */
export function DataTable<Row extends RowData>({
  label,
  rows,
  columns,
  keyOf,
  testId,
}: {
  label: string
  rows: readonly Row[]
  columns: readonly Column<Row>[]
  keyOf: (row: Row, index: number) => string
  testId?: string
}) {
  const byId = new Map(columns.map((c) => [c.id, c]))
  const table = useTable({
    features: FEATURES,
    data: rows,
    columns: columns.map(definition),
    getRowId: keyOf,
  })
  const model = table.getRowModel().rows
  const scroll = useRef<HTMLDivElement>(null)
  const long = model.length > MAX_ROWS
  const virtual = useVirtualizer({
    count: model.length,
    enabled: long,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW_PX,
    overscan: 10,
  })
  const shown = long ? virtual.getVirtualItems().map((v) => model[v.index]) : model
  const above = long ? (virtual.getVirtualItems()[0]?.start ?? 0) : 0
  const below = long ? virtual.getTotalSize() - (virtual.getVirtualItems().at(-1)?.end ?? 0) : 0
  const body = (
    <table className="w-full text-[13px]" aria-label={label} aria-rowcount={model.length + 1} data-testid={testId}>
      <thead className={long ? 'sticky top-0 bg-card' : ''}>
        {table.getHeaderGroups().map((group) => (
          <tr key={group.id} className="text-graphite">
            {group.headers.map((header) => {
              const column = byId.get(header.column.id)!
              const sorted = header.column.getIsSorted()
              const words = column.hideHeader ? <span className="sr-only">{column.header}</span> : column.header
              return (
                <th
                  key={header.id}
                  scope="col"
                  title={column.title}
                  aria-sort={sorted === 'asc' ? 'ascending' : sorted === 'desc' ? 'descending' : undefined}
                  className={`px-1 py-1 font-normal first:pl-0 last:pr-0 ${left(column) ? 'text-left' : 'text-right'}`}
                >
                  {header.column.getCanSort() ? (
                    <button
                      type="button"
                      onClick={header.column.getToggleSortingHandler()}
                      className="inline-flex min-h-6 items-center gap-0.5 hover:text-ink"
                    >
                      {words}
                      {sorted === 'asc' && <ArrowUp size={12} aria-hidden="true" />}
                      {sorted === 'desc' && <ArrowDown size={12} aria-hidden="true" />}
                    </button>
                  ) : (
                    words
                  )}
                </th>
              )
            })}
          </tr>
        ))}
      </thead>
      <tbody>
        {above > 0 && <tr aria-hidden="true" style={{ height: above }} />}
        {shown.map((row) => (
          <tr key={row.id} aria-rowindex={long ? row.index + 2 : undefined} className="border-t border-rule align-top">
            {columns.map((column) =>
              column.names ? (
                <th key={column.id} scope="row" className="py-1 pr-1 text-left font-normal">
                  {column.cell(row.original, row.index)}
                </th>
              ) : (
                <td
                  key={column.id}
                  className={`px-1 py-1 last:pr-0 ${left(column) ? 'text-left' : 'figure text-right whitespace-nowrap'}`}
                >
                  {column.cell(row.original, row.index)}
                </td>
              ),
            )}
          </tr>
        ))}
        {below > 0 && <tr aria-hidden="true" style={{ height: below }} />}
      </tbody>
    </table>
  )
  if (!long) return body
  return (
    <div
      ref={scroll}
      tabIndex={0}
      role="group"
      aria-label={label}
      className="overflow-y-auto"
      style={{ maxHeight: WINDOW_PX }}
    >
      {body}
    </div>
  )
}

const left = <Row,>(column: Column<Row>): boolean => (column.align ?? (column.names ? 'left' : 'right')) === 'left'

function definition<Row extends RowData>(column: Column<Row>): ColumnDef<typeof FEATURES, Row> {
  const { id, header, sortBy } = column
  // Worst first is what a person looks for: figures fall on the first click, words rise (the library's own rule).
  return sortBy ? { id, header, accessorFn: sortBy, sortFn: 'basic' } : { id, header, enableSorting: false }
}

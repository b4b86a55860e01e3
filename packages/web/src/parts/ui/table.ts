/** A column of a DataTable. */
export interface TableColumn {
  key: string
  title: string
  /** In pixels; what is left of the table's width goes to the columns that grow. */
  width: number
  grow?: number
  align?: 'right'
  sortable?: boolean
}

/** What a table is sorted by; each column has its own first, `reversed` begins with its last. */
export interface TableOrder {
  key: string
  reversed: boolean
}

/** What a place may ask of a DataTable. */
export interface TableHandle<Row> {
  move(by: number): Promise<void>
  currentRow(): Row | undefined
  /** Somebody has gone down the list. */
  isScrolled(): boolean
}

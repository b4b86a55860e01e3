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

/** A column of a ShortTable; without a width it is as wide as what stands in it. */
export interface ShortColumn<Row = never> {
  key: string
  title?: string
  /** Said on the title, or instead of one to those who hear the page. */
  hint?: string
  width?: number
  grow?: number
  align?: 'right'
  /** Never more than a line. */
  tight?: boolean
  /** It can be sorted by this. */
  sortBy?: (row: Row) => string | number
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

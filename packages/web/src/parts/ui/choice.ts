/** What a ChoiceField offers. */
export interface Choice<Value extends string | number> {
  value: Value
  text: string
  /** Beside it, such as how many there are. */
  hint?: string
  /** Under this heading. */
  group?: string
}

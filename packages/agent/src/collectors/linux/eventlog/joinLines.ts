/** What a log was like when it was last read. */
export interface LogForm {
  /** Its entries begin with a time: a line without one goes on with the entry before it. */
  isDated: boolean
  /** Lines since the last one with a time that nothing but that rule makes part of an entry. */
  loose: number
}

/**
 * A time at the beginning of a line, with or without a bracket or a priority: ISO 8601 and what is near it, RFC 3164,
 * days before months, seconds since 1970, and a clock alone.
 */
const dated =
  /^[[(<"'\s]{0,2}(?:\d{1,3}>)?(?:\d{4}[-/.]\d\d[-/.]\d\d[T ,]+\d\d:\d\d|\d{1,2}[-/. ](?:\d\d|[A-Z][a-z]{2})[-/. ]\d{2,4}[ :T]+\d\d:\d\d|(?:[A-Z][a-z]{2} )?[A-Z][a-z]{2} [ \d]?\d \d\d:\d\d|\d{9,13}\b|\d\d:\d\d:\d\d)/
/** What never begins an entry: what is set in, and what traces of several languages go on with. */
const goesOn = /^(?:\s+\S|Caused by:|\.{3} \d+ more|[)}\]]+[;,]?$)/
/** Longer is no entry that anybody reads. */
const mostCharacters = 8000

/** The first line of an entry, and those that go on with it. */
export interface Joined {
  head: string
  rest: string[]
  /** It goes on with an entry of an earlier reading, which was told already. */
  isContinued: boolean
}

/** After so many the log is not as it seemed: each line is an entry by itself again. */
const mostLoose = 50

/**
 * Joins lines to entries. What is set in goes on with the line before; in a log whose entries begin with a time, so
 * does every line without one. A Python trace goes on to the line that names the error.
 */
export class LineJoiner {
  #open: Joined | null = null
  #length = 0
  /** Within a trace that ends with a line that is not set in. */
  #isTrace = false
  form: LogForm

  /** @param form what it was like when it was last read; undefined: never before */
  constructor(
    form: LogForm | undefined,
    private readonly entry: (joined: Joined) => void,
  ) {
    this.form = form ?? { isDated: false, loose: 0 }
  }

  line(text: string): void {
    if (dated.test(text)) {
      this.form = { isDated: true, loose: 0 }
      this.#begin(text, false)
    } else if (this.#open && (goesOn.test(text) || this.#endsTrace())) this.#add(text)
    else if (this.form.isDated && this.form.loose < mostLoose) {
      this.form = { isDated: true, loose: this.form.loose + 1 }
      if (this.#open) this.#add(text)
      else this.#begin(text, true)
    } else {
      this.form = { isDated: false, loose: 0 }
      this.#begin(text, false)
    }
  }

  #endsTrace(): boolean {
    const isEnd = this.#isTrace && this.#open!.rest.length > 0
    if (isEnd) this.#isTrace = false
    return isEnd
  }

  #begin(text: string, isContinued: boolean): void {
    this.end()
    this.#open = { head: text, rest: [], isContinued }
    this.#length = text.length
    this.#isTrace = text.startsWith('Traceback (')
  }

  #add(text: string): void {
    if (text.startsWith('Traceback (')) this.#isTrace = true
    this.#length += text.length
    if (this.#length <= mostCharacters) this.#open!.rest.push(text)
  }

  /** Nothing more is there to read for now. */
  end(): void {
    if (this.#open) this.entry(this.#open)
    this.#open = null
  }
}

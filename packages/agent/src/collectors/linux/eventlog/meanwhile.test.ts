import fs from 'node:fs'
import { syncBuiltinESMExports } from 'node:module'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import fc from 'fast-check'
import { expect, it } from 'vitest'
import { second } from '#core'
import { readAppended } from './logFile'
import type { Position } from './rotated'

const own = { ...fs }
const calls = ['openSync', 'readSync', 'fstatSync', 'lstatSync', 'readdirSync'] as const

/** Something is done to the files before each call by which they are looked into. */
async function whileAtWork<T>(between: () => void, work: () => Promise<T>): Promise<T> {
  const replace = (call: (name: (typeof calls)[number]) => unknown) => {
    for (const name of calls) Object.assign(fs, { [name]: call(name) })
    syncBuiltinESMExports()
  }
  let isBetween = false
  replace((name) => (...args: never[]) => {
    // Some of what is done calls the same.
    if (!isBetween) {
      isBetween = true
      between()
      isBetween = false
    }
    return (own[name] as (...args: never[]) => unknown)(...args)
  })
  try {
    return await work()
  } finally {
    replace((name) => own[name])
  }
}

type Act = 'line' | 'late line' | 'rotate' | 'copy' | 'pack' | 'open anew'
const acts: Act[] = ['line', 'late line', 'rotate', 'copy', 'pack', 'open anew']
const mostRotations = 3

/** A program and its logrotate(8), step by step; every line has a number. */
class Machine {
  readonly folder = own.mkdtempSync(join(tmpdir(), 'custode-log-'))
  readonly log = join(this.folder, 'app.log')
  lines = 0
  #rotations = 0
  /** What the program holds open, wherever it is renamed to. */
  #held: number
  #steps: (() => void)[] = []
  /** In seconds. */
  #clock = 1_700_000_000

  constructor() {
    this.#write(this.log, 'begins\n')
    this.#held = own.openSync(this.log, 'a')
  }

  /** One step of what is going on; else it begins with this act. */
  step(act: Act): void {
    const next = this.#steps.shift()
    if (next) return next()
    if (act === 'line') this.#write(this.log, `line ${++this.lines}\n`)
    if (act === 'late line') {
      if (this.#isEmptyAway()) this.#openAnew()
      this.#write(this.#held, `late ${++this.lines}\n`)
    }
    if (act === 'open anew') this.#openAnew()
    if (act === 'pack') this.#steps = this.#packing()
    if ((act === 'rotate' || act === 'copy') && this.#rotations++ < mostRotations)
      this.#steps = [...this.#renaming(), ...(act === 'rotate' ? this.#moving() : this.#copying())]
  }

  end(): void {
    while (this.#steps.length) this.step('line')
  }
  close(): void {
    own.closeSync(this.#held)
    own.rmSync(this.folder, { recursive: true })
  }

  /** By a clock of its own, that goes on by a second: that of the system goes in steps in which much is written. */
  #write(file: string | number, text: string): void {
    if (typeof file === 'string') own.writeFileSync(file, text, { flag: text ? 'a' : 'w' })
    else own.writeSync(file, text)
    this.#date(file, ++this.#clock)
  }
  #date(file: string | number, at: number): void {
    if (typeof file === 'string') own.utimesSync(file, at, at)
    else own.futimesSync(file, at, at)
  }
  /** A first line in a file that was rotated away without one cannot be told from others, once it is packed. */
  #isEmptyAway(): boolean {
    const { ino, size } = own.fstatSync(this.#held)
    return size === 0 && own.statSync(this.log, { throwIfNoEntry: false })?.ino !== ino
  }
  #openAnew(): void {
    own.closeSync(this.#held)
    this.#held = own.openSync(this.log, 'a')
  }
  #renaming(): (() => void)[] {
    return [3, 2, 1].flatMap((n) =>
      ['', '.gz'].map((ending) => () => {
        const from = `${this.log}.${n}${ending}`
        if (own.existsSync(from)) own.renameSync(from, `${this.log}.${n + 1}${ending}`)
      }),
    )
  }
  #moving(): (() => void)[] {
    return [() => own.renameSync(this.log, `${this.log}.1`), () => this.#write(this.log, '')]
  }
  /** What is written between copy and cut is lost, as its manual says: nothing is, here. */
  #copying(): (() => void)[] {
    return [
      () => {
        own.copyFileSync(this.log, `${this.log}.1`)
        this.#date(`${this.log}.1`, ++this.#clock)
      },
      () => this.#write(this.log, ''),
    ]
  }
  #packing(): (() => void)[] {
    const name = [3, 2, 1].map((n) => `${this.log}.${n}`).find((each) => own.existsSync(each))
    if (name === undefined) return []
    // What a program writes to a file that is packed is lost.
    if (own.fstatSync(this.#held).ino === own.statSync(name).ino) this.#openAnew()
    const packed = gzipSync(own.readFileSync(name))
    const time = own.statSync(name).mtimeMs / second
    return [
      () => own.writeFileSync(`${name}.gz`, packed.subarray(0, 15)),
      () => own.writeFileSync(`${name}.gz`, packed),
      () => own.utimesSync(`${name}.gz`, time, time),
      () => own.unlinkSync(name),
    ]
  }
}

const some = (maxLength: number) => fc.array(fc.constantFrom(...acts), { maxLength })

it('every line is read once, whatever is renamed, copied, cut or packed at any moment of a look', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.tuple(some(6), fc.array(fc.option(fc.constantFrom(...acts)), { maxLength: 40 })), { maxLength: 6 }),
      async (looks) => {
        const machine = new Machine()
        try {
          let position: Position | undefined
          const seen: string[] = []
          const look = async () => {
            const read = await readAppended(machine.log, position, (line) => seen.push(line))
            position = read.position
          }
          await look()
          for (const [before, meanwhile] of looks) {
            for (const act of before) machine.step(act)
            const left = [...meanwhile]
            await whileAtWork(() => {
              const act = left.shift()
              if (act) machine.step(act)
            }, look).catch(({ message }: Error) => {
              // There is no log at this moment, or its files do not rest.
              expect(message).toMatch(/ENOENT|being renamed/)
            })
          }
          machine.end()
          for (let i = 0; i < 3; i++) await look()
          expect(
            seen
              .filter((line) => line !== 'begins')
              .map((line) => Number(line.split(' ')[1]))
              .sort((a, b) => a - b),
          ).toEqual(Array.from({ length: machine.lines }, (_, i) => i + 1))
        } finally {
          machine.close()
        }
      },
    ),
    // Always the same ones: what is found by others is mended before it gets here.
    { numRuns: 1500, seed: 20261201 },
  )
}, 200_000)

import { describe, expect, it } from 'vitest'
import fc from 'fast-check'
import ICAL from 'ical.js'
import {
  aligned,
  carriedOver,
  clockEffects,
  instantOf,
  localOf,
  nextOccurrences,
  nextStarts,
  occurrencesBetween,
  recurrenceFault,
  splitRule,
  startsBetween,
  type Recurrence,
  type Schedule,
} from './schedule'

const newYork = 'America/New_York'
const recurrence = (starts: string, rule: string | null, zone = newYork, more: Partial<Recurrence> = {}) => ({
  starts,
  zone,
  rule,
  more: [],
  except: [],
  ...more,
})
const schedule = (starts: string, rule: string | null, zone: string, more: Partial<Schedule> = {}): Schedule => ({
  ...recurrence(starts, rule, zone),
  length: 4 * 3_600_000,
  changed: [],
  ...more,
})

/** *1997-09-2,9* are two days, *1997-09-2..4* three; each at nine o'clock. */
const days = (text: string) =>
  text.split(' ').flatMap((month) => {
    const [, year, mo, list] = /^(\d+)-(\d+)-(.*)$/.exec(month)!
    return list!.split(',').flatMap((part) => {
      const [from, to = from] = part.split('..').map(Number)
      return Array.from({ length: to! - from! + 1 }, (_, i) => {
        const day = String(from! + i).padStart(2, '0')
        return `${year}-${mo!.padStart(2, '0')}-${day}T09:00:00`
      })
    })
  })
const times = (date: string, list: string) => list.split(' ').map((time) => `${date}T${time}:00`)

/** RFC 5545, section 3.8.5.3, every example: DTSTART in America/New_York, RRULE, and what it prints. */
const printed: [about: string, dtstart: string, rrule: string, prints: string[]][] = [
  ['daily for 10 occurrences', '1997-09-02', 'FREQ=DAILY;COUNT=10', days('1997-09-2..11')],
  [
    'daily until December 24, 1997',
    '1997-09-02',
    'FREQ=DAILY;UNTIL=19971224T000000Z',
    days('1997-09-2..30 1997-10-1..31 1997-11-1..30 1997-12-1..23'),
  ],
  [
    'every other day',
    '1997-09-02',
    'FREQ=DAILY;INTERVAL=2',
    days('1997-09-2,4,6,8,10,12,14,16,18,20,22,24,26,28,30 1997-10-2,4,6'),
  ],
  [
    'every 10 days, 5 occurrences',
    '1997-09-02',
    'FREQ=DAILY;INTERVAL=10;COUNT=5',
    days('1997-09-2,12,22 1997-10-2,12'),
  ],
  [
    'every day in January, for 3 years',
    '1998-01-01',
    'FREQ=YEARLY;UNTIL=20000131T140000Z;BYMONTH=1;BYDAY=SU,MO,TU,WE,TH,FR,SA',
    days('1998-01-1..31 1999-01-1..31 2000-01-1..31'),
  ],
  [
    'every day in January, the other way',
    '1998-01-01',
    'FREQ=DAILY;UNTIL=20000131T140000Z;BYMONTH=1',
    days('1998-01-1..31 1999-01-1..31 2000-01-1..31'),
  ],
  [
    'weekly for 10 occurrences',
    '1997-09-02',
    'FREQ=WEEKLY;COUNT=10',
    days('1997-09-2,9,16,23,30 1997-10-7,14,21,28 1997-11-4'),
  ],
  [
    'weekly until December 24, 1997',
    '1997-09-02',
    'FREQ=WEEKLY;UNTIL=19971224T000000Z',
    days('1997-09-2,9,16,23,30 1997-10-7,14,21,28 1997-11-4,11,18,25 1997-12-2,9,16,23'),
  ],
  [
    'every other week',
    '1997-09-02',
    'FREQ=WEEKLY;INTERVAL=2;WKST=SU',
    days('1997-09-2,16,30 1997-10-14,28 1997-11-11,25 1997-12-9,23 1998-01-6,20 1998-02-3,17'),
  ],
  [
    'weekly on Tuesday and Thursday for five weeks',
    '1997-09-02',
    'FREQ=WEEKLY;UNTIL=19971007T000000Z;WKST=SU;BYDAY=TU,TH',
    days('1997-09-2,4,9,11,16,18,23,25,30 1997-10-2'),
  ],
  [
    'weekly on Tuesday and Thursday, counted',
    '1997-09-02',
    'FREQ=WEEKLY;COUNT=10;WKST=SU;BYDAY=TU,TH',
    days('1997-09-2,4,9,11,16,18,23,25,30 1997-10-2'),
  ],
  [
    'every other week on Monday, Wednesday, and Friday until December 24, 1997',
    '1997-09-01',
    'FREQ=WEEKLY;INTERVAL=2;UNTIL=19971224T000000Z;WKST=SU;BYDAY=MO,WE,FR',
    days('1997-09-1,3,5,15,17,19,29 1997-10-1,3,13,15,17,27,29,31 1997-11-10,12,14,24,26,28 1997-12-8,10,12,22'),
  ],
  [
    'every other week on Tuesday and Thursday, for 8 occurrences',
    '1997-09-02',
    'FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH',
    days('1997-09-2,4,16,18,30 1997-10-2,14,16'),
  ],
  [
    'monthly on the first Friday for 10 occurrences',
    '1997-09-05',
    'FREQ=MONTHLY;COUNT=10;BYDAY=1FR',
    days('1997-09-5 1997-10-3 1997-11-7 1997-12-5 1998-01-2 1998-02-6 1998-03-6 1998-04-3 1998-05-1 1998-06-5'),
  ],
  [
    'monthly on the first Friday until December 24, 1997',
    '1997-09-05',
    'FREQ=MONTHLY;UNTIL=19971224T000000Z;BYDAY=1FR',
    days('1997-09-5 1997-10-3 1997-11-7 1997-12-5'),
  ],
  [
    'every other month on the first and last Sunday of the month for 10 occurrences',
    '1997-09-07',
    'FREQ=MONTHLY;INTERVAL=2;COUNT=10;BYDAY=1SU,-1SU',
    days('1997-09-7,28 1997-11-2,30 1998-01-4,25 1998-03-1,29 1998-05-3,31'),
  ],
  [
    'monthly on the second-to-last Monday of the month for 6 months',
    '1997-09-22',
    'FREQ=MONTHLY;COUNT=6;BYDAY=-2MO',
    days('1997-09-22 1997-10-20 1997-11-17 1997-12-22 1998-01-19 1998-02-16'),
  ],
  [
    'monthly on the third-to-the-last day of the month',
    '1997-09-28',
    'FREQ=MONTHLY;BYMONTHDAY=-3',
    days('1997-09-28 1997-10-29 1997-11-28 1997-12-29 1998-01-29 1998-02-26'),
  ],
  [
    'monthly on the 2nd and 15th of the month for 10 occurrences',
    '1997-09-02',
    'FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15',
    days('1997-09-2,15 1997-10-2,15 1997-11-2,15 1997-12-2,15 1998-01-2,15'),
  ],
  [
    'monthly on the first and last day of the month for 10 occurrences',
    '1997-09-30',
    'FREQ=MONTHLY;COUNT=10;BYMONTHDAY=1,-1',
    days('1997-09-30 1997-10-1,31 1997-11-1,30 1997-12-1,31 1998-01-1,31 1998-02-1'),
  ],
  [
    'every 18 months on the 10th thru 15th of the month for 10 occurrences',
    '1997-09-10',
    'FREQ=MONTHLY;INTERVAL=18;COUNT=10;BYMONTHDAY=10,11,12,13,14,15',
    days('1997-09-10..15 1999-03-10..13'),
  ],
  [
    'every Tuesday, every other month',
    '1997-09-02',
    'FREQ=MONTHLY;INTERVAL=2;BYDAY=TU',
    days('1997-09-2,9,16,23,30 1997-11-4,11,18,25 1998-01-6,13,20,27 1998-03-3,10,17,24,31'),
  ],
  [
    'yearly in June and July for 10 occurrences',
    '1997-06-10',
    'FREQ=YEARLY;COUNT=10;BYMONTH=6,7',
    days(
      '1997-06-10 1997-07-10 1998-06-10 1998-07-10 1999-06-10 1999-07-10 2000-06-10 2000-07-10 2001-06-10 2001-07-10',
    ),
  ],
  [
    'every other year on January, February, and March for 10 occurrences',
    '1997-03-10',
    'FREQ=YEARLY;INTERVAL=2;COUNT=10;BYMONTH=1,2,3',
    days(
      '1997-03-10 1999-01-10 1999-02-10 1999-03-10 2001-01-10 2001-02-10 2001-03-10 2003-01-10 2003-02-10 2003-03-10',
    ),
  ],
  [
    'every third year on the 1st, 100th, and 200th day for 10 occurrences',
    '1997-01-01',
    'FREQ=YEARLY;INTERVAL=3;COUNT=10;BYYEARDAY=1,100,200',
    days('1997-01-1 1997-04-10 1997-07-19 2000-01-1 2000-04-9 2000-07-18 2003-01-1 2003-04-10 2003-07-19 2006-01-1'),
  ],
  ['every 20th Monday of the year', '1997-05-19', 'FREQ=YEARLY;BYDAY=20MO', days('1997-05-19 1998-05-18 1999-05-17')],
  [
    'Monday of week number 20',
    '1997-05-12',
    'FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO',
    days('1997-05-12 1998-05-11 1999-05-17'),
  ],
  [
    'every Thursday in March',
    '1997-03-13',
    'FREQ=YEARLY;BYMONTH=3;BYDAY=TH',
    days('1997-03-13,20,27 1998-03-5,12,19,26 1999-03-4,11,18,25'),
  ],
  [
    'every Thursday, but only during June, July, and August',
    '1997-06-05',
    'FREQ=YEARLY;BYDAY=TH;BYMONTH=6,7,8',
    days(
      '1997-06-5,12,19,26 1997-07-3,10,17,24,31 1997-08-7,14,21,28 1998-06-4,11,18,25 1998-07-2,9,16,23,30 1998-08-6,13,20,27 1999-06-3,10,17,24 1999-07-1,8,15,22,29 1999-08-5,12,19,26',
    ),
  ],
  [
    'every Friday the 13th',
    '1997-09-02',
    'FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13',
    days('1998-02-13 1998-03-13 1998-11-13 1999-08-13 2000-10-13'),
  ],
  [
    'the first Saturday that follows the first Sunday of the month',
    '1997-09-13',
    'FREQ=MONTHLY;BYDAY=SA;BYMONTHDAY=7,8,9,10,11,12,13',
    days('1997-09-13 1997-10-11 1997-11-8 1997-12-13 1998-01-10 1998-02-7 1998-03-7 1998-04-11 1998-05-9 1998-06-13'),
  ],
  [
    'every 4 years, the first Tuesday after a Monday in November',
    '1996-11-05',
    'FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8',
    days('1996-11-5 2000-11-7 2004-11-2'),
  ],
  [
    'the third instance into the month of one of Tuesday, Wednesday, or Thursday, for the next 3 months',
    '1997-09-04',
    'FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3',
    days('1997-09-4 1997-10-7 1997-11-6'),
  ],
  [
    'the second-to-last weekday of the month',
    '1997-09-29',
    'FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2',
    days('1997-09-29 1997-10-30 1997-11-27 1997-12-30 1998-01-29 1998-02-26 1998-03-30'),
  ],
  [
    // The RFC prints UNTIL=19970902T170000Z, which is 13:00 in New York; its erratum has the 21:00Z that is meant.
    'every 3 hours from 9:00 AM to 5:00 PM on a specific day',
    '1997-09-02',
    'FREQ=HOURLY;INTERVAL=3;UNTIL=19970902T210000Z',
    times('1997-09-02', '09:00 12:00 15:00'),
  ],
  [
    'every 15 minutes for 6 occurrences',
    '1997-09-02',
    'FREQ=MINUTELY;INTERVAL=15;COUNT=6',
    times('1997-09-02', '09:00 09:15 09:30 09:45 10:00 10:15'),
  ],
  [
    'every hour and a half for 4 occurrences',
    '1997-09-02',
    'FREQ=MINUTELY;INTERVAL=90;COUNT=4',
    times('1997-09-02', '09:00 10:30 12:00 13:30'),
  ],
  [
    'every 20 minutes from 9:00 AM to 4:40 PM every day',
    '1997-09-02',
    'FREQ=DAILY;BYHOUR=9,10,11,12,13,14,15,16;BYMINUTE=0,20,40',
    ['02', '03'].flatMap((day) =>
      [9, 10, 11, 12, 13, 14, 15, 16].flatMap((hour) =>
        ['00', '20', '40'].map((minute) => `1997-09-${day}T${String(hour).padStart(2, '0')}:${minute}:00`),
      ),
    ),
  ],
  [
    'every 20 minutes from 9:00 AM to 4:40 PM every day, the other way',
    '1997-09-02',
    'FREQ=MINUTELY;INTERVAL=20;BYHOUR=9,10,11,12,13,14,15,16',
    ['02', '03'].flatMap((day) =>
      [9, 10, 11, 12, 13, 14, 15, 16].flatMap((hour) =>
        ['00', '20', '40'].map((minute) => `1997-09-${day}T${String(hour).padStart(2, '0')}:${minute}:00`),
      ),
    ),
  ],
  [
    'where the week start makes a difference: Monday',
    '1997-08-05',
    'FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO',
    days('1997-08-5,10,19,24'),
  ],
  [
    'where the week start makes a difference: Sunday',
    '1997-08-05',
    'FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU',
    days('1997-08-5,17,19,31'),
  ],
  [
    'an invalid date (February 30) is ignored',
    '2007-01-15',
    'FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5',
    days('2007-01-15,30 2007-02-15 2007-03-15,30'),
  ],
]

describe('RFC 5545, section 3.8.5.3', () => {
  it.each(printed)('%s', (_about, dtstart, rrule, prints) => {
    const read = recurrence(`${dtstart}T09:00:00`, rrule)
    // One more than printed, where the RFC goes on with dots.
    const found = nextStarts(read, instantOf(read.starts, newYork), prints.length + 1)
    expect(found.slice(0, prints.length).map((at) => localOf(at, newYork))).toEqual(prints)
    if (/COUNT|UNTIL/.test(rrule)) expect(found).toHaveLength(prints.length)
    else expect(found).toHaveLength(prints.length + 1)
  })
  it('EXDATE and RDATE: sections 3.8.5.1 and 3.8.5.2', () => {
    const daily = recurrence('1997-09-02T09:00:00', 'FREQ=DAILY;COUNT=3', newYork, {
      except: [instantOf('1997-09-03T09:00:00', newYork)],
      more: [instantOf('1997-09-20T10:00:00', newYork)],
    })
    expect(nextStarts(daily, 0, 9).map((at) => localOf(at, newYork))).toEqual([
      '1997-09-02T09:00:00',
      '1997-09-04T09:00:00',
      '1997-09-20T10:00:00',
    ])
  })
})

/** Both changes of 2027, from the IANA database; one zone south of the equator, one that moves by half an hour. */
describe('where the clocks are changed', () => {
  const nightly = (zone: string, starts: string, around: string, count = 3) => {
    const read = recurrence(starts, 'FREQ=DAILY', zone)
    const from = instantOf(`${around}T00:00:00`, zone)
    return nextStarts(read, from, count).map((at) => [
      localOf(at, zone).slice(5, 16),
      new Date(at).toISOString().slice(5, 16),
    ])
  }
  it('a start in the hour that spring skips is moved forward, that night only', () => {
    expect(nightly('Europe/Berlin', '2027-01-01T02:30:00', '2027-03-27')).toEqual([
      ['03-27T02:30', '03-27T01:30'],
      ['03-28T03:30', '03-28T01:30'],
      ['03-29T02:30', '03-29T00:30'],
    ])
    expect(nightly('Australia/Sydney', '2027-01-01T02:30:00', '2027-10-02')).toEqual([
      ['10-02T02:30', '10-01T16:30'],
      ['10-03T03:30', '10-02T16:30'],
      ['10-04T02:30', '10-03T15:30'],
    ])
    expect(nightly('Australia/Lord_Howe', '2027-01-01T02:15:00', '2027-10-02')).toEqual([
      ['10-02T02:15', '10-01T15:45'],
      ['10-03T02:45', '10-02T15:45'],
      ['10-04T02:15', '10-03T15:15'],
    ])
  })
  it('a start in the hour that autumn shows twice happens once, the first time', () => {
    expect(nightly('Europe/Berlin', '2027-01-01T02:30:00', '2027-10-30')).toEqual([
      ['10-30T02:30', '10-30T00:30'],
      ['10-31T02:30', '10-31T00:30'],
      ['11-01T02:30', '11-01T01:30'],
    ])
    expect(nightly('Australia/Sydney', '2027-01-01T02:30:00', '2027-04-03')).toEqual([
      ['04-03T02:30', '04-02T15:30'],
      ['04-04T02:30', '04-03T15:30'],
      ['04-05T02:30', '04-04T16:30'],
    ])
    expect(nightly('Australia/Lord_Howe', '2027-01-01T01:45:00', '2027-04-03')).toEqual([
      ['04-03T01:45', '04-02T14:45'],
      ['04-04T01:45', '04-03T14:45'],
      ['04-05T01:45', '04-04T15:15'],
    ])
  })
  it('a first start in a gap stays what it was meant to be', () => {
    const read = aligned(recurrence('2027-03-28T02:30:00', 'FREQ=DAILY', 'Europe/Berlin'))
    expect(nextStarts(read, 0, 2).map((at) => localOf(at, 'Europe/Berlin'))).toEqual([
      '2027-03-28T03:30:00',
      '2027-03-29T02:30:00',
    ])
  })
  it('says in which way an occurrence is touched, and leaves the others alone', () => {
    const year = [Date.parse('2027-01-01T00:00Z'), Date.parse('2028-01-01T00:00Z')] as const
    const effects = (starts: string, zone: string) =>
      clockEffects(schedule(starts, 'FREQ=DAILY', zone), ...year).map(({ occurrence, effect, by }) => [
        localOf(occurrence.from, zone).slice(5, 16),
        effect,
        by / 60_000,
      ])
    expect(effects('2027-01-01T02:30:00', 'Europe/Berlin')).toEqual([
      ['03-28T03:30', 'skipped', 60],
      ['10-31T02:30', 'twice', 60],
    ])
    expect(effects('2027-01-01T01:00:00', 'Europe/Berlin')).toEqual([
      ['03-28T01:00', 'forward', 60],
      ['10-31T01:00', 'back', 60],
    ])
    expect(effects('2027-01-01T01:00:00', 'Australia/Lord_Howe')).toEqual([
      ['04-04T01:00', 'back', 30],
      ['10-03T01:00', 'forward', 30],
    ])
    expect(effects('2027-01-01T12:00:00', 'Europe/Berlin')).toEqual([])
    expect(effects('2027-01-01T01:00:00', 'Asia/Tokyo')).toEqual([])
  })
  it('a length is elapsed time: four hours over the spring change end at another time on the clocks', () => {
    const [occurrence] = nextOccurrences(schedule('2027-03-28T00:00:00', null, 'Europe/Berlin'), 0, 1)
    expect(localOf(occurrence!.until!, 'Europe/Berlin')).toBe('2027-03-28T05:00:00')
  })
})

describe('the ends of months and years', () => {
  const starts = (from: string, rule: string, count: number) =>
    nextStarts(recurrence(from, rule, 'Europe/Berlin'), 0, count).map((at) => localOf(at, 'Europe/Berlin').slice(0, 10))
  it('skips months without a 31st, and years without a 29 February', () => {
    expect(starts('2027-01-31T22:00:00', 'FREQ=MONTHLY', 3)).toEqual(['2027-01-31', '2027-03-31', '2027-05-31'])
    expect(starts('2028-02-29T22:00:00', 'FREQ=YEARLY', 2)).toEqual(['2028-02-29', '2032-02-29'])
    expect(starts('2027-01-31T22:00:00', 'FREQ=MONTHLY;BYMONTHDAY=-1', 3)).toEqual([
      '2027-01-31',
      '2027-02-28',
      '2027-03-31',
    ])
  })
  it('a window over midnight, and over the end of the year, is one occurrence', () => {
    const over = schedule('2026-12-31T22:00:00', 'FREQ=DAILY;COUNT=2', 'Europe/Berlin')
    expect(
      occurrencesBetween(over, 0, Date.parse('2028-01-01'), 9).map(({ from, until }) =>
        [from, until!].map((at) => localOf(at, 'Europe/Berlin')),
      ),
    ).toEqual([
      ['2026-12-31T22:00:00', '2027-01-01T02:00:00'],
      ['2027-01-01T22:00:00', '2027-01-02T02:00:00'],
    ])
  })
})

describe('what is not taken in', () => {
  it.each([
    ['FREQ=SOMETIMES', 'no-rule'],
    ['nightly', 'no-rule'],
    ['FREQ=DAILY\nDTSTART:20200101T000000Z', 'no-rule'],
    ['FREQ=MINUTELY', 'too-often'],
    ['FREQ=HOURLY;BYMINUTE=0,30', 'too-often'],
    ['FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30', 'never'],
    ['FREQ=MONTHLY;BYMONTHDAY=31;BYMONTH=4', 'never'],
    ['FREQ=DAILY;UNTIL=20200101T000000Z', 'never'],
  ])('%s: %s', (rule, fault) => {
    expect(recurrenceFault(recurrence('2027-01-01T00:00:00', rule, 'Europe/Berlin'))).toBe(fault)
  })
  it('zones and times that are not there', () => {
    expect(recurrenceFault(recurrence('2027-01-01T00:00:00', null, 'Europe/Atlantis'))).toBe('no-zone')
    expect(recurrenceFault(recurrence('2027-02-30T00:00:00', null, 'Europe/Berlin'))).toBe('no-time')
    expect(recurrenceFault(recurrence('tomorrow', null, 'Europe/Berlin'))).toBe('no-time')
    expect(recurrenceFault(recurrence('2027-01-01T00:00:00', 'FREQ=DAILY', 'Europe/Berlin'))).toBeNull()
  })
})

const rules = [
  'FREQ=DAILY',
  'FREQ=DAILY;INTERVAL=3',
  'FREQ=WEEKLY;BYDAY=MO,WE,FR',
  'FREQ=WEEKLY;INTERVAL=2;BYDAY=TU,SA',
  'FREQ=MONTHLY;BYDAY=2TU',
  'FREQ=MONTHLY;BYDAY=-1SU',
  'FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1',
  'FREQ=MONTHLY;BYMONTHDAY=1,15',
  'FREQ=MONTHLY;BYMONTHDAY=-1',
  'FREQ=MONTHLY;INTERVAL=3;BYDAY=1SA',
  'FREQ=YEARLY;BYMONTH=12;BYMONTHDAY=24',
  'FREQ=DAILY;COUNT=40',
  'FREQ=WEEKLY;UNTIL=20270901T000000Z',
]

/** On the clocks, where every day has 24 hours, so that only the rules are compared: the gaps are checked above. */
describe('a year of every schedule, beside a second library (ical.js)', () => {
  const year = [Date.parse('2027-01-01T00:00Z'), Date.parse('2028-01-01T00:00Z')] as const
  it.each(rules)('%s', (rule) => {
    for (const time of ['00:00', '04:15', '12:00', '23:45']) {
      const first = aligned(recurrence(`2027-01-01T${time}:00`, rule, 'UTC'))
      const found = startsBetween(first, ...year, 999)
      const event = new ICAL.Event(
        new ICAL.Component(
          ICAL.parse(
            `BEGIN:VEVENT\r\nUID:1\r\nDTSTART:${first.starts.replace(/[-:]/g, '')}Z\r\nRRULE:${rule}\r\nEND:VEVENT`,
          ),
        ),
      )
      const expansion = event.iterator()
      const expected: number[] = []
      for (let next = expansion.next(); next && next.toJSDate().getTime() < year[1]; next = expansion.next())
        expected.push(next.toJSDate().getTime())
      expect(found).toEqual(expected)
    }
  })
})

describe('occurrences', () => {
  const berlin = 'Europe/Berlin'
  const tuesdays = schedule('2027-01-05T02:00:00', 'FREQ=WEEKLY;BYDAY=TU', berlin)
  const at = (local: string) => instantOf(local, berlin)
  it('one is moved, one is left out, and the others stay', () => {
    const changed: Schedule = {
      ...tuesdays,
      except: [at('2027-01-12T02:00:00')],
      changed: [
        { start: at('2027-01-19T02:00:00'), from: at('2027-01-20T03:00:00'), until: at('2027-01-20T04:00:00') },
      ],
    }
    expect(nextOccurrences(changed, 0, 3).map(({ from }) => localOf(from, berlin))).toEqual([
      '2027-01-05T02:00:00',
      '2027-01-20T03:00:00',
      '2027-01-26T02:00:00',
    ])
  })
  it('a day’s exceptions and changes stay on their day when the time of all is changed', () => {
    const before: Schedule = {
      ...tuesdays,
      except: [at('2027-03-23T02:00:00')],
      changed: [{ start: at('2027-03-30T02:00:00'), from: at('2027-03-30T05:00:00'), until: null }],
    }
    const after = { ...before, starts: '2027-01-05T23:00:00' }
    const carried = carriedOver(before, after)
    expect(carried.except.map((start) => localOf(start, berlin))).toEqual(['2027-03-23T23:00:00'])
    expect(carried.changed.map(({ start }) => localOf(start, berlin))).toEqual(['2027-03-30T23:00:00'])
    expect(startsBetween({ ...after, ...carried }, at('2027-03-20T00:00:00'), at('2027-03-28T00:00:00'), 9)).toEqual([])
  })
  it('a rule cut in two at any start brings what the whole one did', () => {
    fc.assert(
      fc.property(fc.constantFrom(...rules), fc.integer({ min: 1, max: 12 }), (rule, index) => {
        const whole = { ...tuesdays, ...aligned(recurrence('2027-01-01T02:30:00', rule, berlin)) }
        const all = nextStarts(whole, 0, 20)
        fc.pre(all.length > index)
        const { before, after } = splitRule(whole, all[index]!)
        const first = startsBetween({ ...whole, rule: before }, 0, all.at(-1)! + 1, 20)
        const rest = nextStarts(
          { ...whole, starts: localOf(all[index]!, berlin).slice(0, 10) + whole.starts.slice(10), rule: after },
          0,
          20 - index,
        )
        expect([...first, ...rest]).toEqual(all)
      }),
      { numRuns: 30, examples: [['FREQ=MONTHLY;BYDAY=-1SU', 2]] },
    )
  }, 20_000)
  it('are the same whether a span is asked for at once or in parts', () => {
    const from = at('2027-03-01T00:00:00')
    fc.assert(
      fc.property(
        fc.constantFrom(...rules),
        fc.array(fc.integer({ min: 1, max: 60 * 24 }), { maxLength: 5 }),
        (rule, cuts) => {
          const whole = { ...tuesdays, rule }
          const bounds = [0, ...cuts.sort((a, b) => a - b), 60 * 24].map((hours) => from + hours * 3_600_000)
          const parts = bounds.slice(1).flatMap((before, i) => startsBetween(whole, bounds[i]!, before, 999))
          expect(parts).toEqual(startsBetween(whole, from, bounds.at(-1)!, 999))
        },
      ),
      { numRuns: 60 },
    )
  })
})

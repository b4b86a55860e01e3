import { describe, expect, it } from 'vitest'
import { parseEventXml } from './eventXml'

/** Of the shape that the schema gives (System, EventData, RenderingInfo); the values are invented. */
const event = (system: string, rest = '') =>
  `<Event xmlns='http://schemas.microsoft.com/win/2004/08/events/event'><System>${system}</System>${rest}</Event>`
const signIn = event(
  `<Provider Name='Security-Auditing' Guid='{00000000-0000-0000-0000-000000000001}'/><EventID>4625</EventID><Version>0</Version>
   <Level>0</Level><Task>12544</Task><Opcode>0</Opcode><Keywords>0x8010000000000000</Keywords>
   <TimeCreated SystemTime='2026-11-23T10:00:00.1234567Z'/><EventRecordID>229977</EventRecordID><Correlation/>
   <Execution ProcessID='516' ThreadID='3240'/><Channel>Security</Channel><Computer>tm-book-1</Computer><Security/>`,
  `<EventData><Data Name='TargetUserName'>jo &amp; co</Data><Data Name='IpAddress'>192.0.2.7</Data><Data Name='SubjectUserName'>-</Data></EventData>`,
)

describe('an event as XML', () => {
  it('has its log, source, id, level, time and the data by their names', () => {
    expect(parseEventXml(signIn, 'An account failed to log on.')).toEqual({
      at: Date.parse('2026-11-23T10:00:00.123Z'),
      channel: 'Security',
      source: 'Security-Auditing',
      id: 4625,
      level: 'warning',
      text: 'An account failed to log on.',
      fields: { TargetUserName: 'jo & co', IpAddress: '192.0.2.7', ProcessID: '516' },
    })
  })
  it.each(['', '<EventID/>', '<EventID>99999999999</EventID>', '<EventID>x</EventID>'])(
    'without an id that a log has, but %j, has none',
    (element) => {
      expect(parseEventXml(signIn.replace('<EventID>4625</EventID>', element), null)!.id).toBeNull()
    },
  )
  it('of an audit that succeeded is informational', () => {
    expect(parseEventXml(signIn.replace('0x8010', '0x8020'), null)).toMatchObject({ level: 'informational', text: '' })
  })
  it('has its words in itself, an id with qualifiers, data without names, and those of an application’s own', () => {
    const system = `<Provider Name='disk'/><EventID Qualifiers='49156'>7</EventID><Level>2</Level>
      <TimeCreated SystemTime='2026-11-23T10:00:00Z'/><Channel>System</Channel><Security UserID='S-1-5-18'/>`
    expect(
      parseEventXml(
        event(
          system,
          `<EventData><Data>\\Device\\Harddisk1</Data><Data></Data><Data>3</Data><Binary>0E00</Binary></EventData>
           <RenderingInfo Culture='en-US'><Message>A bad block.</Message></RenderingInfo>`,
        ),
        null,
      ),
    ).toMatchObject({
      id: 7,
      level: 'error',
      text: 'A bad block.',
      fields: { '%1': '\\Device\\Harddisk1', '%3': '3', UserID: 'S-1-5-18' },
    })
    expect(
      parseEventXml(
        event(system, `<UserData><Own xmlns='urn:own'><Reason>over</Reason><Deep><er>x</er></Deep></Own></UserData>`),
        null,
      ),
    ).toMatchObject({ fields: { Reason: 'over', UserID: 'S-1-5-18' } })
  })
  it.each(['', 'no xml', '<Event>', '<Event/>', '<Other/>', event('<EventID>7</EventID>'), '<a><b></a>'])(
    'is none in %j',
    (xml) => {
      expect(parseEventXml(xml, 'x')).toBeNull()
    },
  )
  it('that names its data like something of JavaScript’s own harms nothing', () => {
    const found = parseEventXml(
      signIn.replace('TargetUserName', '__proto__').replace('IpAddress', 'constructor'),
      null,
    )!
    expect(Object.getPrototypeOf(found.fields)).toBe(Object.prototype)
    expect(found.fields!.ProcessID).toBe('516')
  })
})

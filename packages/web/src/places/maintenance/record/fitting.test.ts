import { describe, expect, it } from 'vitest'
import type { UncoveredAlert } from '#contract'
import { fittingSubject } from './fitting'

const alert = (watch: string, family: UncoveredAlert['family'], instance = ''): UncoveredAlert => ({
  alertId: 1,
  deviceId: 7,
  deviceName: 'tm-1',
  watch,
  instance,
  family,
  severity: 'warning',
  raisedAt: 0,
  text: '',
})

describe('a window that is fitted to what it did not cover', () => {
  const alerts = [alert('disk', 'disk', '/var'), alert('cpu', 'performance')]
  it('is about the families, watches or posts that were missing, beside its own', () => {
    expect(fittingSubject({ of: 'families', families: ['performance'] }, alerts)).toEqual({
      of: 'families',
      families: ['disk', 'performance'],
    })
    expect(fittingSubject({ of: 'watches', watches: ['cpu'] }, alerts)).toEqual({
      of: 'watches',
      watches: ['cpu', 'disk'],
    })
    expect(fittingSubject({ of: 'posts', posts: [{ deviceId: 7, watch: 'cpu', instance: '' }] }, alerts)).toMatchObject(
      { posts: [{ watch: 'cpu' }, { watch: 'disk', instance: '/var' }] },
    )
  })
  it('stays as it is where it was about all of them', () => {
    expect(fittingSubject({ of: 'all' }, alerts)).toBeNull()
    expect(fittingSubject({ of: 'families', families: ['disk', 'performance', 'service'] }, alerts)).toBeNull()
    expect(fittingSubject({ of: 'watches', watches: ['disk', 'cpu'] }, alerts)).toBeNull()
  })
})

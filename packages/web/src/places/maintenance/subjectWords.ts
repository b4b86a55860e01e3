import { countText, familyWords, type WindowSubject } from '#core'

/** What a window holds back, as it stands in a sentence. */
export function subjectText(subject: WindowSubject): string {
  switch (subject.of) {
    case 'all':
      return 'everything'
    case 'families':
      return subject.families.map((family) => familyWords[family]).join(', ')
    case 'watches':
      return subject.watches.join(', ')
    case 'posts':
      return countText(subject.posts.length, 'single post')
  }
}

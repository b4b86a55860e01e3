import { createRequire } from 'node:module'
import { Language, Parser } from 'web-tree-sitter'

/**
 * Reads PowerShell by a grammar of its language, where there is no Windows to run it.
 * @returns where it is no PowerShell: line (from 1), and what stands there
 */
export async function powershellFaults(script: string): Promise<string[]> {
  await Parser.init()
  const parser = new Parser()
  parser.setLanguage(
    await Language.load(createRequire(import.meta.url).resolve('tree-sitter-powershell/tree-sitter-powershell.wasm')),
  )
  const tree = parser.parse(script)!
  const faults: string[] = []
  const cursor = tree.walk()
  for (let isDeeper = true; ;) {
    if (isDeeper && (cursor.nodeType === 'ERROR' || cursor.nodeIsMissing))
      faults.push(`${cursor.startPosition.row + 1}: ${cursor.nodeText.slice(0, 80) || `${cursor.nodeType} is missing`}`)
    if (isDeeper && cursor.gotoFirstChild()) continue
    isDeeper = cursor.gotoNextSibling()
    if (!isDeeper && !cursor.gotoParent()) return faults
  }
}

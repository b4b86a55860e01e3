import { Comment, Fragment, Text, isVNode, type VNode } from 'vue'

/** What a ChoiceField offers. */
export interface Choice {
  value: unknown
  text: string
  /** Beside it, such as how many there are. */
  hint?: string
  /** Under this heading. */
  group?: string
  disabled?: boolean
}

function textIn(children: unknown): string {
  if (typeof children === 'string') return children
  if (!Array.isArray(children)) return ''
  return children.map((child: unknown) => (isVNode(child) ? textIn(child.children) : String(child))).join('')
}

/**
 * Choices that are written as HTML's own `<option>` and `<optgroup>`, as they are rendered: loops and conditions are
 * done with.
 */
export function choicesIn(nodes: unknown, group = ''): Choice[] {
  if (!Array.isArray(nodes)) return []
  return nodes.filter(isVNode).flatMap((node: VNode): Choice[] => {
    if (node.type === Comment || node.type === Text) return []
    if (node.type === Fragment) return choicesIn(node.children, group)
    if (node.type === 'optgroup') return choicesIn(node.children, String(node.props?.label ?? ''))
    if (node.type !== 'option') return []
    const text = textIn(node.children).replace(/\s+/g, ' ').trim()
    const disabled = node.props?.disabled !== undefined && node.props.disabled !== false
    return [
      {
        value: node.props && 'value' in node.props ? (node.props.value as unknown) : text,
        text,
        ...(group ? { group } : {}),
        ...(disabled ? { disabled } : {}),
      },
    ]
  })
}

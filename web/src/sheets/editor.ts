/** The editor of a sheet's text: loaded only where a sheet is edited. Faults come from the server and stand at their lines; what may be
 * written where comes from the sheet's own fields. */
import {
  autocompletion,
  closeBrackets,
  completionKeymap,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands'
import { yaml } from '@codemirror/lang-yaml'
import { bracketMatching, HighlightStyle, indentUnit, syntaxHighlighting } from '@codemirror/language'
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint'
import { highlightSelectionMatches, search, searchKeymap } from '@codemirror/search'
import { Annotation, EditorState } from '@codemirror/state'
import { tags } from '@lezer/highlight'
import { EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view'
import type { Shape } from '@/api/client'
import { completionsAt } from './completion'

export interface Fault {
  line: number | null
  column: number | null
  message: string
  severity: 'error' | 'warning'
  stands?: string
  cure?: string
}

const LOOK = EditorView.theme({
  '&': { height: '100%', fontSize: '13px', backgroundColor: 'var(--sheet)', color: 'var(--ink)' },
  '.cm-scroller': { fontFamily: "'Atkinson Hyperlegible Mono Variable', ui-monospace, monospace", lineHeight: '1.5' },
  '.cm-gutters': { backgroundColor: 'var(--paper)', color: 'var(--faded)', border: '0' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'var(--lit)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '&.cm-focused': { outline: '2px solid var(--umber)' },
  '.cm-selectionBackground, &.cm-focused .cm-selectionBackground': { backgroundColor: 'var(--module) !important' },
  '.cm-tooltip': { backgroundColor: 'var(--sheet)', color: 'var(--ink)', border: '1px solid var(--module-edge)' },
  '.cm-tooltip-autocomplete > ul > li[aria-selected]': { backgroundColor: 'var(--umber)', color: 'var(--sheet)' },
  '.cm-diagnosticAction': { backgroundColor: 'var(--umber)', color: 'var(--sheet)', padding: '3px 8px' },
})
/** What names a thing, what is said of it, and what is said beside: the board shows the rest. */
const COLOURS = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--umber)' },
  { tag: tags.comment, color: 'var(--faded)', fontStyle: 'italic' },
  { tag: [tags.punctuation, tags.separator, tags.squareBracket, tags.brace], color: 'var(--faded)' },
])
/** A change that came from elsewhere: an answer, another writer. */
const FROM_ELSEWHERE = Annotation.define<boolean>()

export function makeEditor(
  parent: HTMLElement,
  text: string,
  changed: (text: string) => void,
  readOnly: boolean,
  fields: Shape | null,
) {
  const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? ''
  const complete = (context: CompletionContext): CompletionResult | null => {
    const line = context.state.doc.lineAt(context.pos)
    const before = context.state.doc.sliceString(0, context.pos)
    const word = context.matchBefore(/[\w-]*/)
    if (!fields || (word?.from === word?.to && !context.explicit)) return null
    const options = completionsAt(fields, before)
    return options.length && word ? { from: Math.max(word.from, line.from), options, validFor: /^[\w-]*$/ } : null
  }
  const view = new EditorView({
    parent,
    state: EditorState.create({
      doc: text,
      extensions: [
        EditorView.cspNonce.of(nonce),
        lineNumbers(),
        lintGutter(),
        history(),
        highlightActiveLine(),
        highlightSelectionMatches(),
        bracketMatching(),
        closeBrackets(),
        autocompletion({ override: [complete], icons: false }),
        search({ top: true }),
        syntaxHighlighting(COLOURS),
        indentUnit.of('  '),
        yaml(),
        LOOK,
        EditorView.contentAttributes.of({ 'aria-label': 'Text of the sheet', tabindex: '0' }),
        EditorState.readOnly.of(readOnly),
        // Tab leaves the editor, as everywhere; Ctrl-] indents.
        keymap.of([
          ...completionKeymap,
          ...defaultKeymap,
          ...historyKeymap,
          ...searchKeymap,
          { ...indentWithTab, key: 'Ctrl-]' },
        ]),
        EditorView.updateListener.of((u) => {
          if (u.docChanged && !u.transactions.some((t) => t.annotation(FROM_ELSEWHERE))) changed(u.state.doc.toString())
        }),
      ],
    }),
  })
  /** Where a wrong word stands on its line. */
  function wordAt(f: Fault): { from: number; to: number } | null {
    const { doc } = view.state
    if (!f.stands || !f.line || f.line > doc.lines) return null
    const line = doc.line(f.line)
    const at = new RegExp(`(^|[^\\w-])(${f.stands.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')})(?![\\w-])`).exec(
      line.text.slice(Math.max(0, (f.column ?? 1) - 1)),
    )
    if (!at) return null
    const from = line.from + Math.max(0, (f.column ?? 1) - 1) + at.index + at[1]!.length
    return { from, to: from + f.stands.length }
  }
  function mend(f: Fault): void {
    const at = wordAt(f)
    if (at && f.cure)
      view.dispatch({ changes: { ...at, insert: f.cure }, selection: { anchor: at.from + f.cure.length } })
  }
  return {
    show(faults: Fault[]): void {
      const { doc } = view.state
      const found: Diagnostic[] = faults.map((f) => {
        const line = doc.line(Math.min(Math.max(f.line ?? 1, 1), doc.lines))
        const at = wordAt(f) ?? { from: Math.min(line.from + Math.max((f.column ?? 1) - 1, 0), line.to), to: line.to }
        return {
          ...at,
          severity: f.severity,
          message: f.message,
          actions: f.cure && wordAt(f) && !readOnly ? [{ name: f.cure, apply: () => mend(f) }] : [],
        }
      })
      view.dispatch(setDiagnostics(view.state, found))
    },
    canMend: (f: Fault) => !readOnly && !!f.cure && !!wordAt(f),
    mend,
    goTo(line: number): void {
      const at = view.state.doc.line(Math.min(Math.max(line, 1), view.state.doc.lines))
      view.dispatch({ selection: { anchor: at.from }, effects: EditorView.scrollIntoView(at.from, { y: 'center' }) })
      view.focus()
    },
    /** The text as it came from elsewhere; what is the same stays, and with it the caret. */
    take(now: string): void {
      const was = view.state.doc.toString()
      if (was === now) return
      let from = 0
      while (from < was.length && was[from] === now[from]) from++
      let end = 0
      while (end < Math.min(was.length, now.length) - from && was[was.length - 1 - end] === now[now.length - 1 - end])
        end++
      view.dispatch({
        changes: { from, to: was.length - end, insert: now.slice(from, now.length - end) },
        annotations: FROM_ELSEWHERE.of(true),
      })
    },
    text: () => view.state.doc.toString(),
    end: () => view.destroy(),
  }
}

export type SheetEditor = ReturnType<typeof makeEditor>

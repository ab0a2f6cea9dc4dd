/** The editor of a sheet's text: loaded only where a sheet is edited. Faults come from the server and stand at their lines. */
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands'
import { yaml } from '@codemirror/lang-yaml'
import { bracketMatching, HighlightStyle, indentUnit, syntaxHighlighting } from '@codemirror/language'
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint'
import { highlightSelectionMatches, search, searchKeymap } from '@codemirror/search'
import { EditorState } from '@codemirror/state'
import { tags } from '@lezer/highlight'
import { EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view'

export interface Fault {
  line: number | null
  column: number | null
  message: string
  severity: 'error' | 'warning'
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
})
/** What names a thing, what is said of it, and what is said beside: the board shows the rest. */
const COLOURS = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--umber)' },
  { tag: tags.comment, color: 'var(--faded)', fontStyle: 'italic' },
  { tag: [tags.punctuation, tags.separator, tags.squareBracket, tags.brace], color: 'var(--faded)' },
])

export function makeEditor(parent: HTMLElement, text: string, changed: (text: string) => void, readOnly: boolean) {
  const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? ''
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
        search({ top: true }),
        syntaxHighlighting(COLOURS),
        indentUnit.of('  '),
        yaml(),
        LOOK,
        EditorView.contentAttributes.of({ 'aria-label': 'Text of the sheet', tabindex: '0' }),
        EditorState.readOnly.of(readOnly),
        // Tab leaves the editor, as everywhere; Ctrl-M makes it indent.
        keymap.of([...defaultKeymap, ...historyKeymap, ...searchKeymap, { ...indentWithTab, key: 'Ctrl-]' }]),
        EditorView.updateListener.of((u) => u.docChanged && changed(u.state.doc.toString())),
      ],
    }),
  })
  return {
    show(faults: Fault[]): void {
      const { doc } = view.state
      const found: Diagnostic[] = faults.map((f) => {
        const line = doc.line(Math.min(Math.max(f.line ?? 1, 1), doc.lines))
        const from = Math.min(line.from + Math.max((f.column ?? 1) - 1, 0), line.to)
        return { from, to: line.to, severity: f.severity, message: f.message }
      })
      view.dispatch(setDiagnostics(view.state, found))
    },
    goTo(line: number): void {
      const at = view.state.doc.line(Math.min(Math.max(line, 1), view.state.doc.lines))
      view.dispatch({ selection: { anchor: at.from }, effects: EditorView.scrollIntoView(at.from, { y: 'center' }) })
      view.focus()
    },
    text: () => view.state.doc.toString(),
    end: () => view.destroy(),
  }
}

export type SheetEditor = ReturnType<typeof makeEditor>

/** An editor for files of the project: completes YAML from a schema, and shows what is wrong at its line. */
import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { yaml } from '@codemirror/lang-yaml';
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { tags } from '@lezer/highlight';
import { linter, lintGutter, type Diagnostic } from '@codemirror/lint';
import { EditorView } from '@codemirror/view';
import { basicSetup } from 'codemirror';
import { useEffect, useRef } from 'react';
import type { Problem } from '@verbalon/protocol';
import { placeAt, suggestions, type Schema } from './completion.js';

/** What is written is checked this long after the last key, in ms. */
const CHECK_AFTER_MS = 400;

const look = EditorView.theme({
  '&': { fontSize: '14px', backgroundColor: 'var(--color-base-100)', color: 'var(--color-base-content)' },
  '.cm-content': { fontFamily: 'ui-monospace, monospace', caretColor: 'var(--color-base-content)' },
  '.cm-cursor': { borderLeftColor: 'var(--color-base-content)' },
  '.cm-gutters': { backgroundColor: 'var(--color-base-200)', color: 'var(--color-accent)' },
  '.cm-activeLine, .cm-activeLineGutter': {
    backgroundColor: 'color-mix(in oklab, var(--color-base-300) 40%, transparent)',
  },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]': {
    backgroundColor: 'var(--color-primary)',
    color: 'var(--color-primary-content)',
  },
  '.cm-tooltip': { backgroundColor: 'var(--color-base-200)', color: 'var(--color-base-content)' },
});

/** In the page's own inks, by day and by night. */
const inks = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--color-primary)' },
  { tag: [tags.string, tags.content], color: 'var(--color-base-content)' },
  { tag: tags.comment, color: 'var(--color-accent)', fontStyle: 'italic' },
  {
    tag: [tags.separator, tags.punctuation, tags.squareBracket, tags.brace],
    color: 'var(--color-secondary)',
  },
]);

interface FileEditorProps {
  /** The text to begin with; another one begins anew. */
  text: string;
  /** Null for what is no YAML. */
  schema: Schema | null;
  check: (text: string) => Promise<Problem | null>;
  changed: (text: string) => void;
  label: string;
}

export function FileEditor({ text, schema, check, changed, label }: FileEditorProps) {
  const box = useRef<HTMLDivElement>(null);
  const use = useRef({ schema, check, changed });
  useEffect(() => {
    use.current = { schema, check, changed };
  });
  useEffect(() => {
    const view = new EditorView({
      doc: text,
      parent: box.current!,
      extensions: [
        basicSetup,
        ...(schema === null ? [] : [yaml()]),
        look,
        syntaxHighlighting(inks),
        EditorView.contentAttributes.of({ 'aria-label': label }),
        autocompletion({ override: [(context) => complete(context, use.current.schema)] }),
        lintGutter(),
        linter(async (one) => diagnosticsOf(one, await use.current.check(one.state.doc.toString())), {
          delay: CHECK_AFTER_MS,
        }),
        EditorView.updateListener.of(
          (update) => update.docChanged && use.current.changed(update.state.doc.toString()),
        ),
      ],
    });
    return () => view.destroy();
  }, [text, label]);
  return <div ref={box} className="border border-base-300 rounded-field overflow-auto max-h-[60vh]" />;
}

function complete(context: CompletionContext, schema: Schema | null): CompletionResult | null {
  if (schema === null) return null;
  const { doc } = context.state;
  const line = doc.lineAt(context.pos);
  const lines = doc.toString().split('\n');
  const place = placeAt(lines, line.number - 1, context.pos - line.from);
  const isEmpty = place.from === context.pos - line.from;
  if (isEmpty && !context.explicit) return null;
  const options = suggestions(schema, place).map(({ label, detail, insert }) => ({
    label,
    detail,
    apply: insert,
  }));
  return options.length > 0 ? { from: line.from + place.from, options } : null;
}

function diagnosticsOf(view: EditorView, problem: Problem | null): Diagnostic[] {
  if (!problem) return [];
  const { doc } = view.state;
  const line = doc.line(Math.max(1, Math.min(doc.lines, problem.line ?? 1)));
  return [{ from: line.from, to: line.to, severity: 'error', message: withoutPlace(problem) }];
}

/** What is wrong, without the file and the line: both are seen. */
export const withoutPlace = ({ detail }: Problem): string => detail.replace(/^[^:\s]+:\d+: /, '');

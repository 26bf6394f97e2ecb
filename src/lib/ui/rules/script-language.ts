import { scriptParser } from '$lib/core';
import { HighlightStyle, LRLanguage, LanguageSupport, indentNodeProp, foldNodeProp, foldInside } from '@codemirror/language';
import { styleTags, tags } from '@lezer/highlight';

/** The words of the language that stand for what is done; the others are names. */
const WORDS =
	'within end let when then else and or not is in over everywhere to children leaves under of level where except parent total share';

/** The formula language for the editor: the same grammar that checks it. */
export const scriptLanguage = LRLanguage.define({
	name: 'script',
	parser: scriptParser.configure({
		props: [
			styleTags({
				Comment: tags.lineComment,
				[WORDS]: tags.keyword,
				'FunctionName/... OverName/...': tags.function(tags.name),
				'Number Day DateWord': tags.number,
				Text: tags.string,
				Parameter: tags.special(tags.variableName),
				'Name/... Name': tags.variableName,
				'Target/Name/...': tags.definition(tags.variableName),
				'SumSign ProductSign CompareSign Equals': tags.operator
			}),
			indentNodeProp.add({
				Within: (context) => context.column(context.node.from) + (/^\s*end\b/.test(context.textAfter) ? 0 : context.unit)
			}),
			foldNodeProp.add({ Within: foldInside })
		]
	}),
	languageData: { commentTokens: { line: '--' }, closeBrackets: { brackets: ['(', '{', '"'] } }
});

export const script = (): LanguageSupport => new LanguageSupport(scriptLanguage);

/** In the colours of the two themes. */
export const scriptStyle = HighlightStyle.define([
	{ tag: tags.keyword, color: 'var(--color-primary)', fontWeight: '600' },
	{ tag: tags.function(tags.name), color: 'var(--color-secondary)' },
	{ tag: tags.number, color: 'var(--color-accent)' },
	{ tag: tags.string, color: 'var(--color-accent)' },
	{ tag: tags.special(tags.variableName), color: 'var(--color-accent)', fontWeight: '600' },
	{ tag: tags.definition(tags.variableName), fontWeight: '650' },
	{ tag: tags.lineComment, color: 'var(--grey)', fontStyle: 'italic' }
]);

<script lang="ts">
	import { formatScript, quoted, type ParameterDefinition, type ScriptFault, type Slice } from '$lib/core';
	import type { ScriptCheck, Vocabulary } from '$lib/server/engine';
	import { autocompletion, closeBrackets, closeBracketsKeymap, completionKeymap, type CompletionContext } from '@codemirror/autocomplete';
	import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands';
	import { bracketMatching, indentOnInput, syntaxHighlighting } from '@codemirror/language';
	import { lintGutter, lintKeymap } from '@codemirror/lint';
	import { EditorState } from '@codemirror/state';
	import { EditorView, highlightActiveLine, hoverTooltip, keymap, lineNumbers, tooltips } from '@codemirror/view';
	import { pageNonce } from '../page-nonce';
	import { onMount } from 'svelte';
	import { request } from '../request';
	import { liveCheck, type Stretch } from './live-check';
	import { script, scriptStyle } from './script-language';

	interface Props {
		text: string;
		label: string;
		parameters: ParameterDefinition[];
		limits: Slice;
		vocabulary: Vocabulary;
		readonly: boolean;
		/** One expression of a live formula instead of a script: checked as such, in less room. */
		formula?: boolean;
		/** Whether it can be read and yet not be kept; the reason stands beside. */
		refused?: boolean;
		onchange: (text: string) => void;
	}
	let { text, label, parameters, limits, vocabulary, readonly, formula = false, refused = false, onchange }: Props = $props();

	let host: HTMLElement;
	let view: EditorView | undefined;
	let faults = $state(0);

	const FUNCTIONS: Record<string, string> = {
		abs: 'abs(x)',
		round: 'round(x, decimals)',
		floor: 'floor(x)',
		ceil: 'ceil(x)',
		min: 'min(x, y, …)',
		max: 'max(x, y, …)',
		sum: 'sum(account over selection)',
		avg: 'avg(account over selection)',
		count: 'count(account over selection)',
		share: 'share(account over dimension)',
		coalesce: 'coalesce(x, otherwise)',
		empty: 'empty(x)',
		previous: 'previous(account)',
		todate: 'todate(account, Year)',
		days: 'days()'
	};
	const words = [
		'within',
		'end',
		'let',
		'when',
		'then',
		'else',
		'and',
		'or',
		'not',
		'is',
		'in',
		'everywhere',
		'children of',
		'leaves of',
		'under',
		'first of level',
		'last of level',
		'except',
		'where'
	];

	/** What fits where one types: members of the dimension named before, accounts, functions, parameters. */
	function complete(context: CompletionContext) {
		const word = context.matchBefore(/"[^"\n]*|\$?[\p{L}\p{N}_]*/u);
		if (!word || (word.from === word.to && !context.explicit)) return null;
		const before = context.state.sliceDoc(Math.max(0, word.from - 200), word.from);
		const named = /(?:"([^"]+)"|([\p{L}_][\p{L}\p{N}_]*))\s*:\s*(?:(?:children|leaves)\s+of\s+|under\s+)?$/u.exec(before);
		const dimension = named && vocabulary.dimensions.find(({ name }) => name.toLowerCase() === (named[1] ?? named[2])!.toLowerCase());
		const member = (of: Vocabulary['dimensions'][number]) =>
			of.members.map(({ code, name, written }) => ({ label: written, displayLabel: name, detail: code, type: 'variable' }));
		if (dimension) return { from: word.from, options: member(dimension), validFor: /^[^\n:]*$/ };
		const inBraces = /\{[^}\n]*$/.test(before);
		const accounts = vocabulary.dimensions.filter(({ kind }) => kind === 'account').flatMap(member);
		const dimensions = vocabulary.dimensions
			.filter(({ kind }) => kind !== 'account')
			.map(({ name }) => ({ label: `${quoted(name)}: `, displayLabel: name, detail: 'dimension', type: 'type' }));
		const levels = vocabulary.levels.map((level) => ({
			label: inBraces ? `${level} - 1` : level,
			displayLabel: level,
			detail: 'level',
			type: 'type'
		}));
		const values = [...parameters.map(({ name }) => name), ...vocabulary.variables.map(({ name }) => name)].map((name) => ({
			label: `$${name}`,
			detail: 'parameter',
			type: 'constant'
		}));
		const functions = Object.entries(FUNCTIONS)
			.filter(([name]) => !formula || !['sum', 'avg', 'count', 'share', 'todate'].includes(name))
			.map(([name, shape]) => ({ label: `${name}(`, displayLabel: shape, type: 'function' }));
		const value = formula ? [] : [{ label: 'value', displayLabel: 'value', detail: 'the account of the scope', type: 'variable' }];
		const plain = (formula ? words.filter((each) => !['within', 'end', 'let', 'everywhere'].includes(each)) : words).map((each) => ({
			label: `${each} `,
			displayLabel: each,
			type: 'keyword'
		}));
		return {
			from: word.from,
			options: inBraces
				? [...dimensions, ...levels, ...values]
				: [...accounts, ...value, ...functions, ...dimensions, ...levels, ...values, ...plain],
			validFor: /^"?[^\n:{}()]*$/
		};
	}

	async function askAbout(asked: string, near: Stretch | undefined): Promise<readonly ScriptFault[]> {
		const reply = formula
			? await request<Pick<ScriptCheck, 'faults'>>('/api/structure/formula/check', { text: asked })
			: await request<Pick<ScriptCheck, 'faults'>>('/api/rules/script', { text: asked, parameters, limits, near });
		return reply.ok ? reply.answer.faults : [{ from: 0, to: 0, message: reply.message }];
	}

	/** The member under the pointer: its name, code and dimension. */
	const about = hoverTooltip((editor, at) => {
		const line = editor.state.doc.lineAt(at);
		for (const found of line.text.matchAll(/"([^"]+)"|[\p{L}_][\p{L}\p{N}_]*/gu)) {
			const from = line.from + found.index;
			if (at < from || at > from + found[0].length) continue;
			const name = found[1] ?? found[0];
			const member = vocabulary.dimensions.flatMap((dimension) =>
				dimension.members.filter((each) => each.name === name || each.code === name).map((each) => ({ ...each, dimension: dimension.name }))
			)[0];
			if (!member) return null;
			return {
				pos: from,
				end: from + found[0].length,
				create: () => {
					const dom = document.createElement('div');
					dom.textContent = `${member.name} · ${member.code} · ${member.dimension}${member.leaf ? '' : ', adds up others'}`;
					dom.style.padding = '2px 6px';
					return { dom };
				}
			};
		}
		return null;
	});

	onMount(() => {
		view = new EditorView({
			parent: host,
			state: EditorState.create({
				doc: text,
				extensions: [
					EditorView.cspNonce.of(pageNonce()),
					...(formula ? [] : [lineNumbers()]),
					history(),
					bracketMatching(),
					closeBrackets(),
					indentOnInput(),
					highlightActiveLine(),
					...(formula ? [] : [lintGutter()]),
					script(),
					syntaxHighlighting(scriptStyle),
					autocompletion({ override: [complete], icons: false }),
					liveCheck({ ask: askAbout, isScript: !formula, onfaults: (count) => (faults = count) }),
					about,
					tooltips({ position: 'fixed' }),
					keymap.of([...closeBracketsKeymap, ...defaultKeymap, ...historyKeymap, ...completionKeymap, ...lintKeymap, indentWithTab]),
					EditorView.lineWrapping,
					EditorState.readOnly.of(readonly),
					EditorView.contentAttributes.of({ 'aria-label': label, 'aria-multiline': 'true' }),
					EditorView.updateListener.of((update) => {
						if (update.docChanged) onchange(update.state.doc.toString());
					})
				]
			})
		});
		return () => view?.destroy();
	});
	$effect(() => {
		// Undo on the page, or another definition of the step.
		if (view && text !== view.state.doc.toString()) view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
	});

	function format() {
		if (!view) return;
		const formatted = formatScript(view.state.doc.toString());
		view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: formatted } });
		view.focus();
	}
</script>

<div class="border-rule overflow-hidden rounded-md border">
	<div bind:this={host} class={['editor text-[13px]', formula && 'small']}></div>
	<p class="bg-base-200 border-hairline text-grey flex items-center gap-2 border-t px-2 py-1 text-xs">
		<span role="status">{faults === 0 ? (refused ? 'Cannot be kept' : 'No faults') : faults === 1 ? 'One fault' : `${faults} faults`}</span>
		<span class="ml-auto">{formula ? 'Ctrl+Space offers names' : 'Ctrl+Space offers names · Esc, then Tab leaves'}</span>
		{#if !readonly && !formula}<button class="btn btn-xs" onclick={format}>Format</button>{/if}
	</p>
</div>

<style>
	.editor :global(.cm-editor) {
		min-height: 180px;
		max-height: 46vh;
		background: var(--raised);
		color: var(--color-base-content);
	}
	.editor.small :global(.cm-editor) {
		min-height: 44px;
		max-height: 200px;
	}
	.editor :global(.cm-scroller) {
		font-family: var(--font-mono);
		line-height: 1.55;
	}
	.editor :global(.cm-content) {
		caret-color: var(--color-primary);
	}
	.editor :global(.cm-cursor) {
		border-left-color: var(--color-primary);
	}
	.editor :global(.cm-focused) {
		outline: 2px solid var(--color-primary);
		outline-offset: -2px;
	}
	.editor :global(.cm-gutters) {
		background: var(--color-base-200);
		color: var(--grey);
		border-right: 1px solid var(--hairline);
	}
	.editor :global(.cm-activeLine) {
		background: color-mix(in srgb, var(--color-primary) 5%, transparent);
	}
	.editor :global(.cm-selectionBackground),
	.editor :global(.cm-focused .cm-selectionBackground) {
		background: color-mix(in srgb, var(--color-secondary) 22%, transparent) !important;
	}
	.editor :global(.cm-tooltip) {
		background: var(--raised);
		color: var(--color-base-content);
		border: 1px solid var(--rule);
		border-radius: 6px;
		font-size: 13px;
	}
	.editor :global(.cm-tooltip-autocomplete > ul > li[aria-selected]) {
		background: var(--color-primary);
		color: var(--color-primary-content);
	}
	.editor :global(.cm-completionDetail) {
		color: inherit;
		opacity: 0.75;
		margin-left: 1em;
	}
</style>

<script lang="ts">
	import { numberStyle } from '$lib/core';
	import type { FormChoices, OpenForm } from '$lib/server/form';
	import { onMount, untrack } from 'svelte';
	import { at } from '../at';
	import { FormSession } from '../grid/form-session.svelte';
	import AwayNote from '../form/AwayNote.svelte';
	import Grid from '../grid/Grid.svelte';
	import { GridState } from '../grid/grid-state.svelte';
	import { thisTab } from '../grid/tab';
	import { request } from '../request';

	interface Props {
		code: string;
		label: string;
		choices: FormChoices;
		scale: 1 | 1_000 | 1_000_000;
		person: { id: number; name: string; locale: string };
		/** The model (id), and the branch. */
		place: number | string;
		mayEnter: boolean;
		/** The session once the form is open: the board saves through it. */
		onsession: (session: FormSession | undefined) => void;
		/** Something was typed, or taken back. */
		onchanged: () => void;
		onopen: () => void;
	}
	let { code, label, choices, scale, person, place, mayEnter, onsession, onchanged, onopen }: Props = $props();

	let session = $state.raw<FormSession>();
	let grid = $state.raw<GridState>();
	let fault = $state('');
	let sheet = $state<ReturnType<typeof Grid>>();
	let rowsInSight: number[] = [];
	const style = $derived(numberStyle(person.locale));

	async function open() {
		const asked = choices;
		const reply = await request<OpenForm>(`/api/forms/${encodeURIComponent(code)}/open`, { choices: asked });
		if (!reply.ok) {
			fault = reply.message;
			return;
		}
		fault = '';
		if (session) {
			session.choices = asked;
			session.take(reply.answer);
			return;
		}
		const base = at('/api/forms/');
		const made = new FormSession(reply.answer, asked, {
			person: person.id,
			model: place,
			addressOf: (other) => base + encodeURIComponent(other),
			store: {
				keys: () => Object.keys(localStorage),
				get: (key) => localStorage.getItem(key),
				set: (key, value) => localStorage.setItem(key, value),
				remove: (key) => localStorage.removeItem(key)
			},
			tab: thisTab,
			fetch: (...sent) => fetch(...sent)
		});
		made.watchRows(() => rowsInSight);
		made.onsaved = onchanged;
		grid = new GridState(
			made,
			() => person.locale,
			(entries, options) => void made.enter(entries, options).then(onchanged),
			(text) => (made.message = { text, kind: 'error' })
		);
		grid.scale = scale;
		session = made;
		onsession(made);
		void made.resume();
	}
	$effect(() => {
		void choices;
		void code;
		untrack(() => void open());
	});
	onMount(() => () => onsession(undefined));

	async function undo() {
		await session?.undo();
		onchanged();
	}
	async function redo() {
		await session?.redo();
		onchanged();
	}
</script>

{#if fault}<p class="text-error text-[13px]" role="alert">{fault}</p>{/if}
{#if session && grid}
	<AwayNote {session} person={person.name} />
	{#if session.message}
		<p
			class={[
				'mb-1 text-[12.5px]',
				session.message.kind === 'error' ? 'text-error' : session.message.kind === 'warning' ? 'text-warning' : 'text-success'
			]}
			role={session.message.kind === 'error' ? 'alert' : 'status'}
		>
			{session.message.text}
			<button class="text-grey underline" onclick={() => session && (session.message = null)}>Hide</button>
		</p>
	{/if}
	{#if session.conflicts.length > 0 || session.refused.length > 0}
		<p class="text-warning mb-1 text-[12.5px]" role="status">
			Some of it met other changes. <a class="underline" href={at(`/forms/${code}`)}>Settle it in the form</a>
		</p>
	{/if}
	<div class="flex min-h-0 grow flex-col">
		<Grid
			bind:this={sheet}
			form={session.form}
			{style}
			{label}
			faults={session.faults}
			flashing={session.flashing}
			pending={session.pending}
			marks={session.marks}
			others={new Map()}
			again={new Set()}
			{grid}
			menu={[
				{ name: 'Open the form', run: onopen },
				...(mayEnter ? [{ name: 'Take the entry away', keys: 'Del', run: () => grid?.clear(), begins: true }] : [])
			]}
			onfocuscell={() => {}}
			onrows={(rows) => {
				rowsInSight = rows;
				if (session?.form.isPartial) void session.need(rows);
			}}
			onundo={undo}
			onredo={redo}
			onsave={() => void session?.save().then(onchanged)}
			oninspect={onopen}
			onwhynot={(row, column) => session!.whyNot(row, column)}
			onfind={() => {}}
		/>
	</div>
{/if}

<script lang="ts">
	import { page } from '$app/state';
	import type { FormSession } from '../grid/form-session.svelte';

	interface Props {
		session: FormSession;
		/** Whose draft it is. */
		person: string;
	}
	let { session, person }: Props = $props();

	const waiting = $derived(session.waiting === 1 ? 'one entry' : `${session.waiting} entries`);
	const verb = $derived(session.waiting === 1 ? 'waits' : 'wait');
	const capital = (words: string) => words.charAt(0).toUpperCase() + words.slice(1);
	const words = $derived.by(() => {
		const kept = session.waiting > 0;
		if (session.away === 'other person')
			return `Someone else has signed in in this browser. ${kept ? `${capital(waiting)} of yours ${verb} here and will be sent when` : 'This page goes on when'} ${person} has signed in again.`;
		if (session.away === 'signed out')
			return `Your session has ended. ${kept ? `${capital(waiting)} ${verb} in this browser and will be sent when you have signed in again.` : 'Sign in again to go on; your draft is kept.'}`;
		return `The server cannot be reached. ${kept ? `${capital(waiting)} ${verb} in this browser and will be sent when it is back.` : 'Your draft up to here is kept.'}`;
	});
</script>

{#if session.away}
	<p class="text-error mb-2" role="alert">
		{words}
		{#if session.away !== 'unreachable'}<a class="underline" href="/sign-in?to={encodeURIComponent(page.url.pathname + page.url.search)}"
				>Sign in again</a
			>{/if}
	</p>
{/if}

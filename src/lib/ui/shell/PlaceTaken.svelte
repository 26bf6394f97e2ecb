<script lang="ts">
	import { request } from '../request';

	interface Props {
		/** Whose place is taken. */
		person: string;
		acting: { name: string; way: 'look' | 'stand in' };
	}
	let { person, acting }: Props = $props();
	let fault = $state('');

	async function leave() {
		const reply = await request('/api/account/leave', {});
		if (reply.ok) location.assign('/');
		else fault = reply.message;
	}
</script>

<p class="bg-primary text-primary-content flex items-baseline gap-3 px-4.5 py-1 text-[13.5px]" role="status">
	<span
		>{acting.way === 'look'
			? `You see what ${person} sees. Nothing can be changed.`
			: `You are working in the place of ${person}; what you do is kept under both names.`}</span
	>
	{#if fault}<span>{fault}</span>{/if}
	<button class="ml-auto font-semibold underline" onclick={leave}>Back to {acting.name}</button>
</p>

<script lang="ts">
	import type { AccessNames, ReachLevel } from '$lib/server/access';
	import type { AccessDesk } from './access-desk.svelte';
	import { request } from '../request';

	interface Props {
		desk: AccessDesk;
		dimensions: readonly { id: number; name: string }[];
		names: AccessNames;
		person: number;
	}
	let { desk, dimensions, names, person }: Props = $props();
	// svelte-ignore state_referenced_locally
	let of = $state(person);
	// svelte-ignore state_referenced_locally
	let dimension = $state(dimensions[0]?.id ?? 0);
	let reached = $state.raw<{ name: string; members: { name: string; depth: number; level: ReachLevel }[] } | null>(null);
	let fault = $state('');
	const WORDS: Record<ReachLevel, string> = { nothing: '', read: 'reads', write: 'reads and writes' };

	$effect(() => {
		const asked = { person: of, dimension };
		void request<NonNullable<typeof reached>>('/api/access/reach', asked).then((reply) => {
			if (asked.person !== of || asked.dimension !== dimension) return;
			fault = reply.ok ? '' : reply.message;
			reached = reply.ok ? reply.answer : null;
		});
	});
</script>

<section class="max-w-3xl" aria-label="What one person reaches">
	<div class="mb-2 flex flex-wrap items-end gap-2">
		<label class="text-grey flex flex-col text-xs"
			>Who<select class="select select-sm text-base-content w-52" bind:value={of}
				>{#each names.people.filter(({ active }) => active) as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
			></label
		>
		<label class="text-grey flex flex-col text-xs"
			>at the members of<select class="select select-sm text-base-content w-44" bind:value={dimension}
				>{#each dimensions as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
			></label
		>
		<a class="btn btn-sm ml-auto" href="{desk.report}?of=reach&dimension={dimension}&as=xlsx" download>Everybody, XLSX</a>
		<a class="btn btn-sm" href="{desk.report}?of=reach&dimension={dimension}&as=csv" download>CSV</a>
	</div>
	{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
	{#if reached}
		<table class="w-full text-[13.5px]" aria-label="Members and what {reached.name} may do there">
			<thead
				><tr class="text-grey border-rule border-b text-left text-xs"
					><th class="py-1 font-normal">Member</th><th class="font-normal">{reached.name}</th></tr
				></thead
			>
			<tbody>
				{#each reached.members as { name, depth, level }, index (index)}
					<tr class={['border-hairline border-b', level === 'nothing' && 'text-grey']}>
						<td class="py-0.5" style:padding-left="{depth * 14}px">{name}</td><td>{WORDS[level]}</td>
					</tr>
				{/each}
			</tbody>
		</table>
		<p class="text-grey mt-1 text-xs">Something at or under the member, by roles and grants; locks are not looked at here.</p>
	{/if}
</section>

<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import type { FormUses, FormVersion } from '$lib/server/form';
	import { onMount } from 'svelte';
	import { formatMoment } from '../figures/format';
	import { request } from '../request';
	import type { DesignDesk } from './design-desk.svelte';

	let { desk, locale }: { desk: DesignDesk; locale: string } = $props();
	let versions = $state.raw<FormVersion[]>([]);
	let uses = $state.raw<FormUses | null>(null);
	let against = $state<number | undefined>(undefined);

	onMount(async () => {
		await read();
		const reply = await request<FormUses>(`/api/forms/${desk.code}/uses`, {});
		if (reply.ok) uses = reply.answer;
	});
	async function read() {
		versions = await desk.versions(against);
	}
	async function restore(version: number) {
		const reply = await request<{ version: number }>(`/api/forms/${desk.code}/restore`, { version });
		if (!reply.ok) {
			desk.message = { text: reply.message, kind: 'error' };
			return;
		}
		await invalidateAll();
		desk.message = { text: `Version ${version} is published again, as version ${reply.answer.version}.`, kind: 'info' };
		await read();
	}
</script>

<h2 class="text-grey text-xs font-semibold">Versions</h2>
<ol class="mt-1">
	{#each versions as version, index (version.version)}
		<li class="border-hairline border-b py-2">
			<p class="flex items-baseline gap-2">
				<b class="grow">Version {version.version}{index === 0 ? ', published' : ''}</b>
				<button
					class="text-xs underline"
					onclick={() => {
						against = against === version.version ? undefined : version.version;
						void read();
					}}>{against === version.version ? 'Compare with the one before' : 'Compare all with it'}</button
				>
				{#if index > 0}<button class="text-xs underline" onclick={() => restore(version.version)}>Restore</button>{/if}
			</p>
			<p class="text-grey text-xs">{version.person ?? 'The system'}, {formatMoment(version.at, locale)}</p>
			{#each version.removed as line (line)}<p class="text-error text-xs line-through">{line}</p>{/each}
			{#each version.added as line (line)}<p class="text-success text-xs">{line}</p>{/each}
			{#if version.added.length + version.removed.length === 0}<p class="text-grey text-xs">
					{against === undefined ? (index === versions.length - 1 ? 'The first version.' : 'Nothing else than before.') : 'The same.'}
				</p>{/if}
		</li>
	{/each}
</ol>
{#if uses}
	<h2 class="text-grey mt-4 text-xs font-semibold">Where it is used</h2>
	<ul class="mt-1 grid gap-0.5">
		<li>Reads {uses.dimensions.join(', ')}.</li>
		{#if uses.accountsInChecks > 0}<li>{uses.accountsInChecks} accounts stand in its checks.</li>{/if}
		<li>{uses.notes === 0 ? 'No notes were written on it yet.' : `${uses.notes} notes were written on it.`}</li>
		<li>{uses.open.length === 0 ? 'Nobody has it open now.' : `Open now: ${uses.open.join(', ')}.`}</li>
	</ul>
{/if}

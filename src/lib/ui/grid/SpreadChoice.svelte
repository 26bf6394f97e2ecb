<script lang="ts">
	import type { EntryOptions } from './form-session.svelte';

	interface Props {
		options: EntryOptions;
		/** Other scenarios and periods whose proportions may be taken: dimension id, its name, and its members. */
		likes: { dimension: number; name: string; choices: { member: number; name: string }[] }[];
		kept: number;
		onchange: (options: EntryOptions) => void;
		onkeep: () => void;
		onfree: () => void;
	}
	let { options, likes, kept, onchange, onkeep, onfree }: Props = $props();

	const METHODS = [
		['in proportion', 'In proportion to what is there'],
		['evenly', 'Evenly'],
		['same value', 'The same value in each'],
		['like another', 'Like another figure']
	] as const;
	const like = $derived(Object.entries(options.like ?? {})[0]);
</script>

<label class="block"
	><span class="sr-only">How it is spread</span>
	<select
		class="select select-sm w-full"
		value={options.method ?? 'in proportion'}
		onchange={(event) => {
			const method = event.currentTarget.value as NonNullable<EntryOptions['method']>;
			const first = likes[0]?.choices[0];
			onchange({
				...options,
				method,
				...(method === 'like another' && !like && first && { like: { [likes[0]!.dimension]: first.member } })
			});
		}}
	>
		{#each METHODS as [method, words] (method)}{#if method !== 'like another' || likes.length > 0}<option value={method}>{words}</option
				>{/if}{/each}
	</select></label
>
{#if options.method === 'like another'}
	<label class="mt-1.5 block"
		><span class="text-grey text-xs">Like the same figure in</span>
		<select
			class="select select-sm w-full"
			value={like ? `${like[0]} ${like[1]}` : ''}
			onchange={(event) => {
				const [dimension, member] = event.currentTarget.value.split(' ');
				onchange({ ...options, like: { [dimension!]: Number(member) } });
			}}
		>
			{#each likes as { dimension, name, choices } (dimension)}
				<optgroup label={name}
					>{#each choices as { member, name: words } (member)}<option value="{dimension} {member}">{words}</option>{/each}</optgroup
				>
			{/each}
		</select></label
	>
{/if}
<label class="mt-1.5 flex items-center gap-2"
	><input
		type="checkbox"
		class="checkbox checkbox-xs"
		checked={options.overAll ?? false}
		onchange={(event) => onchange({ ...options, overAll: event.currentTarget.checked })}
	/> Where nothing is yet: over all, not the unassigned ones</label
>
<div class="mt-1.5 flex flex-wrap gap-1.5">
	<button class="btn btn-xs" onclick={onkeep}>Keep the selected cells fixed</button>
	{#if kept > 0}<button class="btn btn-xs" onclick={onfree}>Let {kept === 1 ? 'the fixed cell' : `all ${kept} fixed cells`} go</button>{/if}
</div>

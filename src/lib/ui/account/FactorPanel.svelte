<script lang="ts">
	import type { SetOwn } from './set';

	interface Props {
		factor: { set: boolean; codes: number };
		set: SetOwn;
	}
	let { factor, set }: Props = $props();
	let begun = $state.raw<{ address: string; secret: string; picture: string } | null>(null);
	let code = $state('');
	/** Recovery codes, shown this once. */
	let codes = $state.raw<readonly string[] | null>(null);

	async function begin() {
		begun = (await set<{ address: string; secret: string; picture: string }>('begin-factor', {}, '')) ?? null;
	}
	async function confirm(event: SubmitEvent) {
		event.preventDefault();
		const done = await set<{ codes: string[] }>('confirm-factor', { code }, 'From now on a code follows your password.');
		if (!done) return;
		({ codes } = done);
		begun = null;
		code = '';
	}
	async function renew() {
		const done = await set<{ codes: string[] }>('renew-codes', { code }, 'These are your new recovery codes; the earlier ones end.');
		if (!done) return;
		({ codes } = done);
		code = '';
	}
	async function drop() {
		if (!(await set('drop-factor', { code }, 'Your password is enough again.'))) return;
		codes = null;
		code = '';
	}
</script>

<section class="grid content-start gap-2" aria-labelledby="factor">
	<h2 id="factor" class="font-semibold">Second factor</h2>
	{#if codes}
		<p class="text-soft text-[13px]">
			Keep these codes where you will find them without your phone. Each lets you in once; they are shown now and never again.
		</p>
		<ul class="grid grid-cols-2 gap-x-6 font-mono text-[13px]" aria-label="Recovery codes">
			{#each codes as each (each)}<li>{each}</li>{/each}
		</ul>
		<button class="btn btn-sm justify-self-start" onclick={() => (codes = null)}>I have kept them</button>
	{:else if begun}
		<form class="grid gap-2" onsubmit={confirm} aria-label="Set up the second factor">
			<p class="text-soft text-[13px]">
				Read this picture with the application that makes your codes, or type the key into it. Then type its first code.
			</p>
			<img
				class="h-40 w-40 bg-white"
				src="data:image/svg+xml;utf8,{encodeURIComponent(begun.picture)}"
				alt="The key, to be read by an application"
			/>
			<code class="font-mono text-[13px] break-words">{begun.secret}</code>
			<label class="text-grey text-xs"
				>Code<input
					class="input input-sm text-base-content block w-36 font-mono"
					bind:value={code}
					inputmode="numeric"
					autocomplete="one-time-code"
					required
					maxlength="10"
				/></label
			>
			<div class="flex gap-2">
				<button class="btn btn-primary btn-sm">Turn it on</button>
				<button type="button" class="btn btn-ghost btn-sm" onclick={() => (begun = null)}>Leave it</button>
			</div>
		</form>
	{:else if factor.set}
		<p class="text-soft text-[13px]">
			A code follows your password. {factor.codes === 1 ? 'One recovery code is left.' : `${factor.codes} recovery codes are left.`}
		</p>
		<label class="text-grey text-xs"
			>Code, now<input
				class="input input-sm text-base-content block w-36 font-mono"
				bind:value={code}
				autocomplete="one-time-code"
				maxlength="40"
			/></label
		>
		<div class="flex gap-2">
			<button class="btn btn-sm" disabled={code.trim() === ''} onclick={renew}>New recovery codes</button>
			<button class="btn btn-sm" disabled={code.trim() === ''} onclick={drop}>Take it off</button>
		</div>
	{:else}
		<p class="text-soft text-[13px]">
			With a second factor a code of your phone follows your password: who knows the one still lacks the other.
		</p>
		<button class="btn btn-sm justify-self-start" onclick={begin}>Set it up</button>
	{/if}
</section>

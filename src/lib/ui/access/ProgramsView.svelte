<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import type { Scope, TokenLine } from '$lib/server/session';
	import { formatDay, formatMoment } from '../figures/format';
	import { request } from '../request';
	import type { AccessDesk } from './access-desk.svelte';

	interface Props {
		desk: AccessDesk;
		tokens: readonly TokenLine[];
		scopes: readonly { scope: Scope; words: string }[];
		operations: readonly { method: string; path: string; summary: string }[];
		model: string;
		locale: string;
	}
	let { desk, tokens, scopes, operations, model, locale }: Props = $props();
	let name = $state('');
	let days = $state(90);
	let here = $state(true);
	let chosen = $state.raw<readonly Scope[]>(['read']);
	/** The new token, shown this once. */
	let made = $state<string | null>(null);
	const wordsOf = (scope: Scope) => scopes.find((each) => each.scope === scope)?.words ?? scope;

	async function make(event: SubmitEvent) {
		event.preventDefault();
		const reply = await request<{ token: string }>('/api/access/make-token', { name, scopes: chosen, here, days });
		desk.told = reply.ok ? null : { words: reply.message, isFault: true };
		if (!reply.ok) return;
		made = reply.answer.token;
		name = '';
		await invalidateAll();
	}
	async function end(token: TokenLine) {
		const reply = await request('/api/access/end-token', { id: token.id });
		desk.told = reply.ok ? { words: `“${token.name}” lets nobody in any more.`, isFault: false } : { words: reply.message, isFault: true };
		desk.last = null;
		await invalidateAll();
	}
</script>

<div class="grid min-h-0 grow gap-8 overflow-auto lg:grid-cols-[1fr_24rem]">
	<section aria-label="Access tokens">
		<h2 class="mb-1 font-semibold">Access tokens</h2>
		{#if made}
			<div class="bg-base-200 border-hairline mb-3 rounded-md border px-3 py-2.5" role="status">
				<p class="mb-1">This is the token. Keep it where your program finds it; it is shown now and never again.</p>
				<code class="font-mono text-[13px] break-all" aria-label="The new token">{made}</code>
				<div class="mt-2 flex gap-2">
					<button class="btn btn-sm" onclick={() => navigator.clipboard.writeText(made!)}>Copy it</button>
					<button class="btn btn-ghost btn-sm" onclick={() => (made = null)}>I have kept it</button>
				</div>
			</div>
		{/if}
		<table class="w-full text-[13.5px]" aria-label="Access tokens">
			<thead
				><tr class="text-grey border-rule border-b text-left text-xs"
					><th class="py-1 font-normal">Token</th><th class="font-normal">May</th><th class="font-normal">Used</th><th class="font-normal"
						>Until</th
					><th><span class="sr-only">End it</span></th></tr
				></thead
			>
			<tbody>
				{#each tokens as token (token.id)}
					<tr class={['border-hairline border-b align-top', token.state !== 'holds' && 'text-grey']}>
						<td class="py-1 pr-3"
							><b class="font-semibold">{token.name}</b><span class="text-soft block text-xs"
								>{token.hint}…, {token.person}{token.model ? `, in ${token.model}` : ', in every model'}</span
							></td
						>
						<td class="py-1 pr-3">{token.scopes.map(wordsOf).join('; ')}</td>
						<td class="text-soft py-1 pr-3 whitespace-nowrap">{token.usedAt ? formatMoment(token.usedAt, locale) : 'never'}</td>
						<td class="text-soft py-1 pr-3 whitespace-nowrap"
							>{token.state === 'holds'
								? formatDay(token.expiresAt.slice(0, 10), locale)
								: token.state === 'ended'
									? 'ended'
									: 'run out'}</td
						>
						<td class="py-1 text-right whitespace-nowrap"
							>{#if token.state === 'holds'}<button class="text-primary text-[13px] font-semibold" onclick={() => end(token)}>End it</button
								>{/if}</td
						>
					</tr>
				{:else}<tr><td class="text-soft py-2" colspan="5">No program has a token yet.</td></tr>{/each}
			</tbody>
		</table>
		<form class="bg-base-200 border-hairline mt-3 grid max-w-xl gap-2 rounded-md border px-3 py-2.5" onsubmit={make} aria-label="New token">
			<div class="flex flex-wrap gap-2">
				<label class="text-grey text-xs"
					>It is for<input
						class="input input-sm text-base-content block w-56"
						bind:value={name}
						required
						maxlength="100"
						placeholder="Monthly load of the ledger"
					/></label
				>
				<label class="text-grey text-xs"
					>Days it holds<input
						class="input input-sm text-base-content block w-24"
						type="number"
						min="1"
						max="400"
						bind:value={days}
						required
					/></label
				>
			</div>
			<fieldset class="grid gap-1">
				<legend class="text-grey mb-0.5 text-xs">In your name it may</legend>
				{#each scopes as { scope, words } (scope)}
					<label class="flex items-center gap-1.5 text-[13.5px]"
						><input
							type="checkbox"
							class="checkbox checkbox-xs"
							checked={chosen.includes(scope)}
							onchange={(event) => (chosen = event.currentTarget.checked ? [...chosen, scope] : chosen.filter((each) => each !== scope))}
						/>{words}</label
					>
				{/each}
			</fieldset>
			<label class="flex items-center gap-1.5 text-[13.5px]"
				><input type="checkbox" class="checkbox checkbox-xs" bind:checked={here} />in {model} only</label
			>
			<button class="btn btn-primary btn-sm justify-self-start" disabled={chosen.length === 0}>Make it</button>
		</form>
	</section>
	<section aria-label="What programs can ask">
		<h2 class="mb-1 font-semibold">What programs can ask</h2>
		<p class="text-soft mb-2 text-[13px]">
			Each request carries a token as <code class="font-mono">Authorization: Bearer …</code> and is answered as whoever made it. All of it,
			to be read by tools, is in the
			<a class="text-primary font-semibold" href="/api/v1/openapi.json" data-sveltekit-reload>OpenAPI document</a>; a directory pushes
			people to <code class="font-mono">/scim/v2</code>.
		</p>
		<ul class="border-hairline border-t text-[13px]">
			{#each operations as { method, path, summary } (method + path)}
				<li class="border-hairline border-b py-1">
					<code class="font-mono text-xs break-all"><span class="text-grey">{method}</span> /api/v1{path}</code>
					<span class="text-soft block">{summary}</span>
				</li>
			{/each}
		</ul>
	</section>
</div>

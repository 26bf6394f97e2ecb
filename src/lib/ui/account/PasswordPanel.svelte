<script lang="ts">
	import type { SetOwn } from './set';

	interface Props {
		email: string;
		leastLength: number;
		set: SetOwn;
	}
	let { email, leastLength, set }: Props = $props();
	let present = $state('');
	let next = $state('');

	async function change(event: SubmitEvent) {
		event.preventDefault();
		if (await set('password', { present, next }, 'The password is changed. You are signed out everywhere else.')) present = next = '';
	}
</script>

<form class="grid content-start gap-2" onsubmit={change} aria-label="Change the password">
	<h2 class="font-semibold">Change the password</h2>
	<input type="text" autocomplete="username" value={email} hidden />
	<label class="text-grey text-xs"
		>Present password<input
			class="input input-sm text-base-content w-full"
			type="password"
			autocomplete="current-password"
			bind:value={present}
			required
		/></label
	>
	<label class="text-grey text-xs"
		>New password, {leastLength} characters or more<input
			class="input input-sm text-base-content w-full"
			type="password"
			autocomplete="new-password"
			minlength={leastLength}
			bind:value={next}
			required
		/></label
	>
	<button class="btn btn-primary btn-sm justify-self-start">Change it</button>
</form>

<script lang="ts">
	interface Props {
		label: string;
		value: string;
		type?: 'text' | 'email';
		required?: boolean;
		maxlength?: number;
		onchange: (value: string) => void;
	}
	let { label, value, type = 'text', required = false, maxlength = 200, onchange }: Props = $props();
</script>

<label class="text-grey text-xs"
	>{label}<input
		class="input input-sm text-base-content w-full"
		{type}
		{value}
		{required}
		{maxlength}
		oninput={(event) => onchange(event.currentTarget.value)}
	/></label
>

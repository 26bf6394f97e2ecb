<svg
	viewBox="0 0 30 30"
	width="28"
	height="28"
	fill="none"
	class="stroke-primary shrink-0"
	stroke-width="1.6"
	stroke-linecap="round"
	aria-hidden="true"
>
	<path d="M3 9.5h24M3 20.5h24M9.5 3v24M20.5 3v24M5 25 25 5" />
	<path d="m15 10.5 4.5 4.5-4.5 4.5-4.5-4.5z" class="fill-accent stroke-base-200" stroke-width="1.4" stroke-linejoin="round" />
</svg>

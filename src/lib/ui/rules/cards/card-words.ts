import type { PlaceCard, SelectionCard } from '$lib/core';
import type { CardDesk } from './card-desk.svelte';

type Names = Pick<CardDesk, 'shown'>;

/** Where an account is read, in words. */
export function placeInWords(place: PlaceCard, names: Names): string {
	switch (place.kind) {
		case 'shift': {
			const { level, by } = place;
			const unit = level.toLowerCase();
			if (by === 0) return `same ${unit}`;
			if (Math.abs(by) === 1) return by < 0 ? `${unit} before` : `${unit} after`;
			return `${Math.abs(by)} ${unit}s ${by < 0 ? 'before' : 'after'}`;
		}
		case 'member':
			return names.shown(place.name);
		case 'parameter':
			return `$${place.parameter}`;
		case 'parent':
			return `${place.dimension}: one up`;
		case 'total':
			return `${place.dimension}: all`;
		default:
			return place satisfies never;
	}
}

/** Members of a scope or a test, in words. */
export function selectionInCards({ how, dimension, word, last, ofParameter, rest }: SelectionCard, names: Names): string {
	const name = ofParameter || how === 'parameter' ? `$${word}` : names.shown({ dimension, word });
	const said = {
		member: name,
		parameter: name,
		children: `children of ${name}`,
		leaves: `leaves of ${name}`,
		under: `${name} and all beneath`,
		range: `${name} to ${last === undefined ? '' : names.shown({ dimension, word: last })}`,
		level: `every ${word.toLowerCase()}`,
		first: `the first period of each ${word.toLowerCase()}`,
		last: `the last period of each ${word.toLowerCase()}`
	}[how];
	return rest === '' ? said : `${said} ${rest}`;
}

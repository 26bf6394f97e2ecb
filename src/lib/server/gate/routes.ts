import { MOST_LINK_BYTES } from '../form/links';
import { MOST_WORKBOOK_BYTES } from '../form/workbook';
import { MOST_BYTES } from '../import/file/keep';
import type { Permission } from '../session';
import { MOST_PACKAGE_BYTES } from '../unpack/package';
import { MOST_FILE_BYTES } from '../structure/sheets';
import type { BodyLimit } from './body';

const MB = 1024 ** 2;

/** What anybody may send who is not signed in: an address and a password. */
export const STRANGERS: BodyLimit = { bytes: 16 * 1024, words: 'This is too much for signing in.' };

const USUAL: BodyLimit = { bytes: 4 * MB, words: 'This is too much at once. Paste a smaller block.' };
const LARGE: BodyLimit = { bytes: 32 * MB, words: 'This is more than % at once. Paste a smaller block, or load a file.' };

/** Routes that take more than the usual, by their pattern. */
const LIMITS: Readonly<Record<string, BodyLimit>> = {
	'/api/m/[model]/files': { bytes: MOST_BYTES, words: 'The file is larger than %. Split it by month or line and load the parts.' },
	'/api/m/[model]/forms/[code]/file': {
		bytes: MOST_LINK_BYTES,
		words: 'The file is larger than %. Put it on a share and attach its address.'
	},
	'/api/m/[model]/forms/[code]/workbook': { bytes: MOST_WORKBOOK_BYTES, words: 'The workbook is larger than %.' },
	'/api/m/[model]/structure/dimension/[code]/[verb]': LARGE,
	'/api/m/[model]/structure/dimensions/[verb]': LARGE,
	'/api/m/[model]/structure/rates/[set]/[verb]': LARGE,
	'/api/m/[model]/imports/[code]/map/[map]': LARGE,
	'/api/m/[model]/structure/package/[verb]': { bytes: MOST_PACKAGE_BYTES, words: 'The package is larger than %.' },
	'/api/m/[model]/access/sheet': { bytes: MOST_FILE_BYTES, words: 'The file is larger than %.' },
	'/api/m/[model]/boards/pictures': { bytes: 2 * MB, words: 'The picture is larger than %. Make it smaller first.' },
	'/api/m/[model]/structure/sheet': { bytes: MOST_FILE_BYTES, words: 'The file is larger than %.' }
};

export const limitOf = (route: string | null): BodyLimit => LIMITS[route ?? ''] ?? USUAL;

/**
 * Who may send anything at all to a part of the interface: whoever has one of these permissions. The functions behind it ask
 * for the one they need; asked here, it is asked before a body is read or judged.
 */
const AREAS: readonly (readonly [prefix: string, permissions: readonly Permission[]])[] = [
	['/api/m/[model]/structure', ['structure.read']],
	['/api/m/[model]/form-design', ['form.design']],
	['/api/m/[model]/forms', ['form.read']],
	['/api/m/[model]/trace', ['form.read']],
	['/api/m/[model]/imports', ['data.read']],
	['/api/m/[model]/files', ['data.load']],
	['/api/m/[model]/batches', ['data.read']],
	['/api/m/[model]/connections', ['data.write']],
	['/api/m/[model]/rules', ['rule.read']],
	['/api/m/[model]/presets', ['rule.read']],
	['/api/m/[model]/runbooks', ['rule.read', 'rule.run']],
	['/api/m/[model]/runs', ['rule.read', 'rule.run']],
	['/api/m/[model]/access', ['access.read', 'access.tokens']],
	['/api/m/[model]/locks', ['access.read']],
	['/api/m/[model]/cycle', ['cycle.read']],
	['/api/m/[model]/branches', ['form.read']],
	['/api/m/[model]/views', ['form.read']],
	['/api/m/[model]/boards', ['form.read']],
	['/api/m/[model]/insight', ['form.read']]
];

/** Stands for the route itself. */
export const NO_VERB = '';

const verbs = (permission: Permission, ...names: string[]): Record<string, Permission> =>
	Object.fromEntries(names.map((name) => [name, permission]));

/** What single verbs of a route, or the route itself where it has none, need beyond that. What is not named needs what its area does. */
const VERBS: Readonly<Record<string, Readonly<Record<string, Permission>>>> = {
	'/api/m/[model]/forms/[code]/[verb]': {
		...verbs(
			'form.enter',
			'enter',
			'undo',
			'redo',
			'save',
			'discard',
			'bring-back',
			'take-back',
			'try-runbook',
			'end-trial',
			'run-runbook',
			'seek-goal',
			'try-values'
		),
		...verbs('form.enter', 'lines', 'link', 'link-remove', 'bring-notes', 'own-line', 'method', 'fill'),
		...verbs('form.design', 'design', 'copy', 'delete', 'versions', 'restore', 'uses')
	},
	'/api/m/[model]/imports/[code]/[verb]': {
		...verbs('data.load', 'load', 'fetch'),
		...verbs('data.write', 'edit', 'member', 'map', 'schedule', 'remove')
	},
	'/api/m/[model]/forms/[code]/file': verbs('form.enter', NO_VERB),
	'/api/m/[model]/forms/[code]/workbook': verbs('form.enter', NO_VERB),
	'/api/m/[model]/imports': verbs('data.write', NO_VERB),
	'/api/m/[model]/runbooks/[id]/[verb]': {
		...verbs('rule.read', 'read', 'check', 'preview', 'freshness'),
		...verbs('rule.write', 'save', 'copy', 'delete', 'schedule')
	},
	'/api/m/[model]/runs/[id]/[verb]': { ...verbs('rule.run', 'take-back'), ...verbs('rule.write', 'keep') },
	'/api/m/[model]/rules/[verb]': verbs('rule.write', 'create'),
	'/api/m/[model]/presets/[verb]': verbs('rule.write', 'save', 'delete'),
	'/api/m/[model]/batches/[batch]/[verb]': verbs('data.load', 'reload', 'take-back'),
	...Object.fromEntries(
		['lists', 'variables', 'formula', 'currencies', 'model', 'rates', 'sheet'].map((name) => [
			`/api/m/[model]/structure/${name}`,
			verbs('structure.write', NO_VERB)
		])
	),
	'/api/m/[model]/structure/dimension/[code]/[verb]': verbs(
		'structure.write',
		...[
			'edit',
			'effect',
			'effect-of-rows',
			'preview',
			'apply',
			'remove',
			'undo',
			'attribute',
			'delete-attribute',
			'hierarchy',
			'rename-hierarchy',
			'delete-hierarchy'
		]
	),
	'/api/m/[model]/structure/dimensions/[verb]': verbs('structure.write', 'preview', 'add', 'look-without', 'take-out', 'put-back'),
	'/api/m/[model]/structure/rates/[set]/[verb]': verbs('structure.write', 'set', 'preview', 'undo'),
	'/api/m/[model]/structure/calendar/[verb]': verbs('structure.write', 'extend', 'rename'),
	'/api/m/[model]/access/[verb]': {
		...verbs(
			'access.write',
			'change',
			'take-back',
			'effect',
			'invite',
			'drop-factor',
			'hand-on',
			'look-at-grants',
			'bring-grants',
			'directory',
			'synchronise'
		),
		...verbs('access.look', 'look'),
		...verbs('access.tokens', 'make-token', 'end-token')
	},
	'/api/m/[model]/cycle/[verb]': verbs('cycle.write', 'save', 'preview', 'copy', 'delete', 'start', 'end', 'assign'),
	'/api/m/[model]/locks/[verb]': verbs('lock.write', 'set', 'take-back', 'drop', 'drivers', 'close', 'sheet'),
	'/api/m/[model]/branches/[verb]': {
		...verbs(
			'branch.write',
			'terms',
			'make',
			'change',
			'state',
			'drop',
			'bring-back',
			'copy',
			'put-back',
			'take-snapshot',
			'delete-snapshot'
		),
		...verbs('form.read', 'comment'),
		...verbs('rule.run', 'asks', 'run', 'run-again', 'put-back-run'),
		...verbs('data.load', 'check-load', 'load', 'put-back-load'),
		...verbs('branch.merge', 'merge', 'take-back')
	},
	'/api/m/[model]/views/[verb]': verbs('form.design', 'as-form'),
	'/api/m/[model]/access/sheet': verbs('access.write', NO_VERB),
	'/api/m/[model]/structure/package/[verb]': verbs('structure.write', 'compare', 'create', 'look', 'take-over')
};

/** The areas of pages, as the interface calls them. */
const PAGES: Readonly<Record<string, string>> = { 'data-in': 'imports' };

/** What a caller's request makes use of, for the report on rights that nobody uses: a page's area, or what a verb needs. */
export function permissionsUsed(route: string | null, verb: string | undefined): readonly Permission[] {
	const page = /^\/m\/\[model\]\/(?:\(app\)|print)\/([\w-]+)/.exec(route ?? '')?.[1];
	return permissionsOf(page ? `/api/m/[model]/${PAGES[page] ?? page}` : route, verb) ?? [];
}

/** What a page asks without changing anything, though it sends a body: all that is left to who only looks as another person. */
const LOOKS: Readonly<Record<string, readonly string[]>> = {
	'/api/account/[verb]': ['leave'],
	'/api/m/[model]/forms/[code]/[verb]': ['open', 'inspect', 'marks', 'beside', 'runs', 'presence', 'moved-methods', 'last-method', 'uses'],
	'/api/m/[model]/branches/[verb]': ['terms', 'check-load', 'changes', 'compare', 'contributions', 'asks', 'freshness'],
	'/api/m/[model]/views/[verb]': ['select', 'branch'],
	'/api/m/[model]/boards/[verb]': ['figures', 'comments', 'sending'],
	'/api/m/[model]/trace': [NO_VERB],
	'/api/m/[model]/imports/[code]/[verb]': ['check'],
	'/api/m/[model]/imports/cell': [NO_VERB],
	'/api/m/[model]/runs/[id]/[verb]': ['read'],
	'/api/m/[model]/runbooks/[id]/[verb]': ['read', 'asks', 'freshness'],
	'/api/m/[model]/structure/formula/check': [NO_VERB],
	'/api/m/[model]/access/[verb]': ['matrix', 'why', 'why-action', 'who', 'reach']
};
export const isOnlyLook = (route: string | null, verb: string): boolean => LOOKS[route ?? '']?.includes(verb) ?? route === '/sign-out';

/** What can be sent from within a branch; everything else is of the plan, and is done there. */
const IN_BRANCH: Readonly<Record<string, readonly string[] | 'all'>> = {
	'/api/m/[model]/forms/[code]/[verb]': [
		'open',
		'enter',
		'undo',
		'redo',
		'save',
		'discard',
		'bring-back',
		'inspect',
		'marks',
		'beside',
		'note',
		'note-act',
		'presence',
		'method',
		'fill',
		'moved-methods',
		'last-method',
		'runs',
		'try-runbook',
		'end-trial',
		'run-runbook',
		'seek-goal',
		'try-values'
	],
	'/api/m/[model]/runs/[id]/[verb]': ['read'],
	'/api/m/[model]/imports/cell': [NO_VERB],
	'/api/m/[model]/trace': [NO_VERB],
	// A file is kept before it is loaded: kept, it is nobody's figures.
	'/api/m/[model]/files': 'all',
	'/api/m/[model]/forms/[code]/workbook': 'all',
	'/api/m/[model]/branches/[verb]': 'all',
	'/api/m/[model]/views/[verb]': 'all',
	'/api/m/[model]/boards/[verb]': 'all',
	'/api/m/[model]/boards/pictures': 'all'
};
export const worksInBranch = (route: string | null, verb: string): boolean => {
	const verbs = IN_BRANCH[route ?? ''];
	return verbs === 'all' || verbs?.includes(verb) === true;
};
/** Pages that show a branch; the others show the plan. */
export const showsBranch = (route: string | null): boolean =>
	/^\/m\/\[model\]\/(\(app\)\/(forms(\/\[code\])?|branches(\/\[id\])?(\/\w+)?|insight(\/.*)?|trace|desk|account)|print\/.*)$/.test(
		route ?? ''
	);

/** How a person signs in, and how the application looks to them, is nobody else's, whoever takes their place. */
export const isOwnSetting = (route: string | null, verb?: string): boolean =>
	route === '/api/locale' || route === '/api/marks' || route === '/api/theme' || (route === '/api/account/[verb]' && verb !== 'leave');

/**
 * The permissions of which a caller of a route needs one; undefined where being signed in is enough.
 * @param verb what is asked of it by a writer; of who only reads none
 */
export function permissionsOf(route: string | null, verb?: string): readonly Permission[] | undefined {
	const ofVerbs = VERBS[route ?? ''];
	if (ofVerbs && verb !== undefined && Object.hasOwn(ofVerbs, verb)) return [ofVerbs[verb]!];
	return AREAS.find(([prefix]) => route === prefix || route?.startsWith(`${prefix}/`))?.[1];
}

import type { StepKind } from '$lib/core';
import type { StepDraft } from '$lib/server/runbook';
import type { Component } from 'svelte';
import AllocationFields from './allocation/AllocationFields.svelte';
import ClearFields from './ClearFields.svelte';
import CopyFields from './CopyFields.svelte';
import FormulaFields from './FormulaFields.svelte';
import ImportFields from './ImportFields.svelte';
import LockFields from './LockFields.svelte';
import SnapshotFields from './SnapshotFields.svelte';
import RollForwardFields from './RollForwardFields.svelte';
import type { RunbookDesk } from './runbook-desk.svelte';

type FieldsOf<Kind extends StepKind> = Component<{ desk: RunbookDesk; step: StepDraft & { kind: Kind } }>;

/** The fields a step of each kind is edited by. */
const STEP_FIELDS: { [Kind in StepKind]: FieldsOf<Kind> } = {
	formula: FormulaFields,
	copy: CopyFields,
	'roll-forward': RollForwardFields,
	allocation: AllocationFields,
	import: ImportFields,
	clear: ClearFields,
	lock: LockFields,
	snapshot: SnapshotFields
};

/** Those for a kind, for a step of that kind. */
export const fieldsOf = (kind: StepKind): Component<{ desk: RunbookDesk; step: StepDraft }> =>
	STEP_FIELDS[kind] as Component<{ desk: RunbookDesk; step: StepDraft }>;

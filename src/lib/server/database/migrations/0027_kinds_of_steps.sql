-- Which kinds of steps there are is known by their records (core/runbook/kinds) and checked as drafts arrive: a new kind
-- needs no migration.
ALTER TABLE runbook_step DROP CONSTRAINT runbook_step_kind_check;

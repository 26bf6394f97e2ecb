-- Runbooks by schedule, with answers of their own; what happens when another run is under way; steps that load an import.
ALTER TABLE runbook ADD COLUMN when_busy text NOT NULL DEFAULT 'wait' CHECK (when_busy IN ('wait', 'refuse'));
ALTER TABLE runbook_step DROP CONSTRAINT runbook_step_kind_check;
ALTER TABLE runbook_step ADD CONSTRAINT runbook_step_kind_check CHECK (kind IN ('import', 'copy', 'formula', 'roll-forward', 'clear'));
CREATE TABLE runbook_schedule (
	runbook_id integer PRIMARY KEY REFERENCES runbook ON DELETE CASCADE,
	cron text NOT NULL,
	time_zone text NOT NULL,
	active boolean NOT NULL,
	-- In whose name it runs, and with which answers.
	person_id integer NOT NULL REFERENCES person,
	answers jsonb NOT NULL DEFAULT '{}',
	looked_at timestamptz NOT NULL DEFAULT now()
);

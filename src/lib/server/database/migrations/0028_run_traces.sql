-- How a run's allocations were shared out, packed: a figure can be followed back after rules and members were changed.
CREATE TABLE run_trace (
	run_id integer NOT NULL REFERENCES run ON DELETE CASCADE,
	origin_id integer NOT NULL REFERENCES origin ON DELETE CASCADE,
	trace bytea NOT NULL,
	PRIMARY KEY (run_id, origin_id)
);
CREATE INDEX run_trace_origin ON run_trace (origin_id, run_id DESC);

-- Attempts to sign in are counted while they are tried, each by itself.
ALTER TABLE sign_in_attempt ADD COLUMN id bigint GENERATED ALWAYS AS IDENTITY;
CREATE INDEX IF NOT EXISTS sign_in_attempt_at ON sign_in_attempt (at);
-- Browsers somebody has signed in with before: what strangers try under that name does not count against them.
CREATE TABLE known_browser (
	token_hash bytea PRIMARY KEY,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	seen_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX known_browser_person ON known_browser (person_id);

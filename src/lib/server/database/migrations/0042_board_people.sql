-- Who sees a board beside its owner, where not everybody does.
CREATE TABLE board_person (
	board_id integer NOT NULL REFERENCES board ON DELETE CASCADE,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	PRIMARY KEY (board_id, person_id)
);
CREATE INDEX board_person_person ON board_person (person_id);

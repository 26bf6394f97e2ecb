-- What a typed cell names must be there. Checked row by row, that took two thirds of the time in which many entries were
-- written (a branch merged, a large paste), and a deleted period or origin looked through the whole journal; it is checked
-- once a statement instead, and rows that are named are kept from being deleted meanwhile as before.
ALTER TABLE entry_change
	DROP CONSTRAINT entry_change_model_id_revision_fkey,
	DROP CONSTRAINT entry_change_origin_id_fkey,
	DROP CONSTRAINT entry_change_period_id_fkey;

CREATE FUNCTION check_entries() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
	named integer;
	there integer;
BEGIN
	SELECT count(DISTINCT origin_id) INTO named FROM written;
	SELECT count(*) INTO there FROM (SELECT FROM origin WHERE id IN (SELECT DISTINCT origin_id FROM written) FOR KEY SHARE) AS o;
	IF there <> named THEN RAISE EXCEPTION 'an entry names an origin that is not there' USING ERRCODE = 'foreign_key_violation'; END IF;
	SELECT count(DISTINCT period_id) INTO named FROM written;
	SELECT count(*) INTO there FROM (SELECT FROM period WHERE member_id IN (SELECT DISTINCT period_id FROM written) FOR KEY SHARE) AS p;
	IF there <> named THEN RAISE EXCEPTION 'an entry names a period that is not there' USING ERRCODE = 'foreign_key_violation'; END IF;
	SELECT count(*) INTO named FROM (SELECT DISTINCT model_id, revision FROM written) AS w;
	SELECT count(*) INTO there FROM (SELECT FROM change_set WHERE (model_id, revision) IN (SELECT DISTINCT model_id, revision FROM written) FOR KEY SHARE) AS c;
	IF there <> named THEN RAISE EXCEPTION 'an entry belongs to no change set' USING ERRCODE = 'foreign_key_violation'; END IF;
	RETURN NULL;
END $$;
CREATE TRIGGER entry_change_written AFTER INSERT ON entry_change REFERENCING NEW TABLE AS written FOR EACH STATEMENT EXECUTE FUNCTION check_entries();
CREATE TRIGGER entry_change_changed AFTER UPDATE ON entry_change REFERENCING NEW TABLE AS written FOR EACH STATEMENT EXECUTE FUNCTION check_entries();

-- A model that is deleted takes its journal along, in whatever order.
CREATE FUNCTION keep_named_by_entries() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
	IF TG_TABLE_NAME = 'period' THEN
		IF EXISTS (SELECT FROM entry_change e JOIN gone g ON g.member_id = e.period_id JOIN model m ON m.id = e.model_id) THEN
			RAISE EXCEPTION 'entries name this period' USING ERRCODE = 'foreign_key_violation';
		END IF;
	ELSE
		IF EXISTS (SELECT FROM entry_change e JOIN gone g ON g.id = e.origin_id JOIN model m ON m.id = e.model_id) THEN
			RAISE EXCEPTION 'entries name this origin' USING ERRCODE = 'foreign_key_violation';
		END IF;
	END IF;
	RETURN NULL;
END $$;
CREATE TRIGGER period_named AFTER DELETE ON period REFERENCING OLD TABLE AS gone FOR EACH STATEMENT EXECUTE FUNCTION keep_named_by_entries();
CREATE TRIGGER origin_named AFTER DELETE ON origin REFERENCING OLD TABLE AS gone FOR EACH STATEMENT EXECUTE FUNCTION keep_named_by_entries();

CREATE FUNCTION take_entries_along() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
	DELETE FROM entry_change e USING gone g WHERE e.model_id = g.model_id AND e.revision = g.revision;
	RETURN NULL;
END $$;
CREATE TRIGGER change_set_gone AFTER DELETE ON change_set REFERENCING OLD TABLE AS gone FOR EACH STATEMENT EXECUTE FUNCTION take_entries_along();

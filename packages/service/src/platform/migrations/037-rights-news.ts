/** Whoever looks at something hears at once that rights have changed, whatever changed them. */
export const name = '037-rights-news';

/** Of people, signing in changes columns that decide nothing. */
const personColumns = 'email, name, is_administrator, state, attributes, organisation, origin';

/** What rights hang on, and what of it is an event of its own: told once for each statement. */
const rights: Readonly<Record<string, string>> = {
  people: `DELETE OR UPDATE OF ${personColumns}`,
  group_members: 'INSERT OR DELETE OR UPDATE',
  grants: 'INSERT OR DELETE OR UPDATE',
  folders: 'DELETE OR UPDATE',
  row_rules: 'INSERT OR DELETE OR UPDATE',
  masks: 'INSERT OR DELETE OR UPDATE',
  attributes: 'DELETE OR UPDATE',
  clients: 'DELETE OR UPDATE',
  signing_keys: 'DELETE OR UPDATE OF retired_at',
  chat_members: 'DELETE',
  chat_users: 'DELETE OR UPDATE',
  public_links: 'DELETE OR UPDATE OF ended_at, until',
};

const told = Object.entries(rights).map(
  ([table, events]) =>
    `CREATE TRIGGER ${table}_news AFTER ${events} ON ${table} FOR EACH STATEMENT EXECUTE FUNCTION tell_of_rights();`,
);

// The server sends the same words once for each transaction. An ended session is its person's affair, a revoked token
// that of its client: nobody else has to look.
export const up = `
CREATE FUNCTION tell_of_rights() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('underbell_changes', '{"kind":"rights","name":""}');
  RETURN NULL;
END $$;

CREATE FUNCTION tell_of_key() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('underbell_changes',
    json_build_object('kind', 'rights', 'name', TG_ARGV[0] || ':' || (to_jsonb(OLD) ->> TG_ARGV[1]))::text);
  RETURN NULL;
END $$;

${told.join('\n')}
CREATE TRIGGER sessions_news AFTER DELETE ON sessions FOR EACH ROW WHEN (OLD.expires_at > now())
  EXECUTE FUNCTION tell_of_key('person', 'person_id');
CREATE TRIGGER access_tokens_news AFTER UPDATE OF revoked_at ON access_tokens FOR EACH ROW
  WHEN (NEW.revoked_at IS NOT NULL) EXECUTE FUNCTION tell_of_key('client', 'client_id');
`;

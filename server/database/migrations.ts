/**
 * Numbered migrations, applied in order, each once and in one transaction; one that has shipped is never
 * changed.
 */
export const MIGRATIONS: readonly { readonly number: number; readonly text: string }[] = [
  {
    number: 1,
    text: `
create table account (
  name text primary key check (name <> ''),
  password_hash text not null,
  created_at timestamptz not null default now()
);
create table session (
  token_hash text primary key,
  account text not null references account on delete cascade,
  created_at timestamptz not null default now(),
  expires_at timestamptz not null,
  revoked_at timestamptz
);
create table sign_in_try (
  id int generated always as identity primary key,
  account text not null,
  address text not null,
  tried_at timestamptz not null default now()
);
create index on sign_in_try (tried_at);

create table place (
  only_one boolean primary key default true check (only_one),
  name text not null check (name <> ''),
  time_zone text not null check (time_zone <> '')
);
create table device (
  id text primary key check (id <> ''),
  position int not null,
  name text not null check (name <> ''),
  shielded boolean not null,
  note text not null
);
create table adapter (
  mac text primary key check (mac ~ '^([0-9a-f]{2}:){5}[0-9a-f]{2}$'),
  device_id text not null references device on delete cascade,
  position int not null,
  medium text not null check (medium in ('wifi', 'ethernet', 'other'))
);
create index on adapter (device_id);
create table device_group (
  id text primary key check (id <> ''),
  position int not null,
  name text not null check (name <> ''),
  note text not null
);
create table group_member (
  group_id text not null references device_group on delete cascade,
  device_id text not null references device on delete cascade,
  position int not null,
  primary key (group_id, device_id)
);
create table schedule (
  id text primary key check (id <> ''),
  position int not null,
  name text not null check (name <> ''),
  week text not null,
  note text not null
);
create table schedule_exception (
  schedule_id text not null references schedule on delete cascade,
  position int not null,
  from_date date not null,
  until_date date not null,
  hours text not null,
  primary key (schedule_id, position),
  check (from_date <= until_date)
);
create table site_list (
  id text primary key check (id <> ''),
  position int not null,
  name text not null check (name <> ''),
  note text not null
);
create table site_entry (
  list_id text not null references site_list on delete cascade,
  position int not null,
  entry text not null check (entry <> ''),
  primary key (list_id, position)
);
create table app (
  id text primary key check (id <> ''),
  position int not null,
  name text not null check (name <> ''),
  category text not null check (category <> ''),
  note text not null
);
create table app_part (
  app_id text not null references app on delete cascade,
  kind text not null check (kind in ('site', 'service')),
  position int not null,
  value text not null check (value <> ''),
  primary key (app_id, kind, position)
);
create table rule (
  id text primary key check (id <> ''),
  position int not null,
  name text not null check (name <> ''),
  enabled boolean not null,
  effect text not null check (effect in ('block', 'allow')),
  everyone boolean not null,
  newcomers boolean not null,
  internet boolean not null,
  timing text not null check (timing in ('always', 'during', 'outside', 'once')),
  from_local text,
  until_local text,
  note text not null,
  check ((timing = 'once') = (from_local is not null and until_local is not null))
);
create table rule_device (
  rule_id text not null references rule on delete cascade,
  device_id text not null references device,
  excepted boolean not null,
  position int not null,
  primary key (rule_id, device_id, excepted)
);
create table rule_group (
  rule_id text not null references rule on delete cascade,
  group_id text not null references device_group,
  excepted boolean not null,
  position int not null,
  primary key (rule_id, group_id, excepted)
);
create table rule_schedule (
  rule_id text not null references rule on delete cascade,
  schedule_id text not null references schedule,
  position int not null,
  primary key (rule_id, schedule_id)
);
create table rule_site_list (
  rule_id text not null references rule on delete cascade,
  list_id text not null references site_list,
  position int not null,
  primary key (rule_id, list_id)
);
create table rule_app (
  rule_id text not null references rule on delete cascade,
  app_id text not null references app,
  position int not null,
  primary key (rule_id, app_id)
);
create table rule_text (
  rule_id text not null references rule on delete cascade,
  kind text not null check (kind in ('site', 'keyword', 'category', 'service')),
  position int not null,
  value text not null check (value <> ''),
  primary key (rule_id, kind, position)
);

create table revision (
  number int generated always as identity primary key,
  digest text not null check (digest ~ '^[0-9a-f]{64}$'),
  document text not null,
  author text not null,
  note text not null,
  created_at timestamptz not null default now()
);
create table override (
  id text primary key check (id <> ''),
  position int generated always as identity,
  effect text not null check (effect in ('block', 'allow')),
  who text not null,
  from_at timestamptz not null,
  until_at timestamptz check (until_at > from_at),
  author text not null,
  note text not null
);
create table sighting (
  mac text primary key check (mac ~ '^([0-9a-f]{2}:){5}[0-9a-f]{2}$'),
  host_name text,
  addresses text not null,
  medium text check (medium in ('wifi', 'ethernet', 'other')),
  connected boolean not null,
  first_seen timestamptz not null,
  last_seen timestamptz not null
);
`,
  },
  {
    number: 2,
    text: `
alter table device add column kind text not null default 'other' check (kind <> '');
alter table sighting add column left_alone boolean not null default false;
create table draft_step (
  number int generated always as identity primary key,
  changes text not null,
  undone boolean not null default false
);
create table finding_aside (
  mark text primary key check (mark ~ '^[0-9a-f]{16}$'),
  reason text not null check (reason <> ''),
  author text not null,
  set_at timestamptz not null default now()
);
`,
  },
  {
    number: 3,
    text: `
create table lookup (
  mac text not null check (mac ~ '^([0-9a-f]{2}:){5}[0-9a-f]{2}$'),
  name text not null check (name <> ''),
  effect text not null check (effect in ('block', 'allow')),
  first_at timestamptz not null,
  last_at timestamptz not null check (last_at >= first_at),
  tries int not null check (tries > 0),
  primary key (mac, name, effect, first_at)
);
create index on lookup (last_at);
create index on lookup (name);
create table override_act (
  number int generated always as identity primary key,
  override_id text not null check (override_id <> ''),
  act text not null check (act in ('made', 'changed', 'lifted')),
  effect text not null check (effect in ('block', 'allow')),
  who text not null,
  until_at timestamptz,
  note text not null,
  author text not null check (author <> ''),
  done_at timestamptz not null default now()
);
insert into override_act (override_id, act, effect, who, until_at, note, author, done_at)
  select id, 'made', effect, who, until_at, note, author, from_at from override where author <> '' order by position;
-- A list is always written as a whole, and may hold a million names: as rows that took a quarter of a minute.
alter table site_list add column entries text not null default '[]';
update site_list set entries = coalesce((select json_agg(entry order by position)::text from site_entry where list_id = site_list.id), '[]');
drop table site_entry;
`,
  },
  {
    number: 4,
    text: `
create table token (
  id text primary key,
  name text not null check (name <> ''),
  account text not null references account on delete cascade,
  token_hash text not null unique,
  made_at timestamptz not null default now(),
  used_at timestamptz
);
`,
  },
  {
    number: 5,
    text: `
create table draft_part (
  part text primary key,
  mark text not null default left(md5(random()::text), 12)
);
insert into draft_part (part) values ('place'), ('devices'), ('groups'), ('schedules'), ('siteLists'), ('apps'), ('rules');
`,
  },
  {
    number: 6,
    text: `
alter table rule add column log_only boolean not null default false;
`,
  },
  {
    number: 7,
    text: `
create table network (
  id text primary key check (id <> ''),
  position int not null,
  name text not null check (name <> ''),
  note text not null,
  interfaces text not null,
  subnets text not null
);
create table rule_network (
  rule_id text not null references rule on delete cascade,
  network_id text not null references network,
  excepted boolean not null,
  position int not null,
  primary key (rule_id, network_id, excepted)
);
insert into draft_part (part) values ('networks');
alter table sighting add column interface text;
create table demo_mark (made_at timestamptz not null default now());
`,
  },
  {
    number: 8,
    text: `
create table guest_pass (
  id text primary key check (id <> ''),
  network text,
  lasts int not null check (lasts > 0),
  made_at timestamptz not null default now(),
  until_at timestamptz not null,
  author text not null,
  present text not null,
  used_by text,
  override_id text
);
create table wifi (
  network text primary key,
  name text not null,
  key text not null
);
`,
  },
  {
    number: 9,
    text: `
alter table account add column role text not null default 'administrator'
  check (role in ('viewer', 'editor', 'administrator'));
alter table account add column disabled_at timestamptz;
alter table session add column id text not null unique default left(md5(random()::text), 12);
alter table session add column seen_at timestamptz not null default now();
alter table session add column address text not null default '';
alter table session add column browser text not null default '';
create table invitation (
  id text primary key check (id <> ''),
  code_hash text not null unique,
  role text not null check (role in ('viewer', 'editor', 'administrator')),
  author text not null,
  made_at timestamptz not null default now(),
  until_at timestamptz not null
);
`,
  },
  {
    number: 10,
    text: `
alter table account drop constraint account_role_check;
alter table account add check (role in ('viewer', 'helper', 'editor', 'administrator'));
alter table account add column helper_limit jsonb check ((helper_limit is not null) = (role = 'helper'));
alter table invitation drop constraint invitation_role_check;
alter table invitation add check (role in ('viewer', 'helper', 'editor', 'administrator'));
alter table invitation add column helper_limit jsonb check ((helper_limit is not null) = (role = 'helper'));
create table access_request (
  number int generated always as identity unique,
  id text primary key check (id <> ''),
  mac text not null,
  minutes int not null check (minutes > 0),
  words text not null,
  asked_at timestamptz not null,
  came_at timestamptz not null default now(),
  granted boolean,
  until_at timestamptz check ((until_at is not null) = coalesce(granted, false)),
  answered_by text,
  answered_at timestamptz,
  is_told boolean not null default false
);
alter table account add column totp_secret text;
alter table account add column totp_pending text;
alter table account add column totp_step int;
create table recovery_code (
  account text not null references account on delete cascade,
  code_hash text not null,
  primary key (account, code_hash)
);
alter table token add column role text not null default 'live'
  check (role in ('live', 'viewer', 'editor', 'administrator'));
alter table token add column expires_at timestamptz;
alter table draft_step add column author text not null default '';
create table audit (
  number int generated always as identity primary key,
  at timestamptz not null default now(),
  account text,
  address text not null,
  kind text not null check (kind <> ''),
  words text not null
);
create index audit_at on audit (at);
create table audit_setting (only_one boolean primary key default true check (only_one), days int check (days > 0));
insert into audit_setting (days) values (365);
alter table account add column mail text not null default '';
alter table account add column mailed_at timestamptz;
create table notice_wish (
  account text not null references account on delete cascade,
  kind text not null,
  primary key (account, kind)
);
create table mail_server (
  only_one boolean primary key default true check (only_one),
  host text not null,
  port int not null check (port between 1 and 65535),
  security text not null check (security in ('tls', 'starttls', 'none')),
  username text not null,
  password text not null,
  sender text not null,
  trouble text not null default ''
);
create table webhook (
  id text primary key check (id <> ''),
  url text not null,
  kinds jsonb not null,
  author text not null,
  secret text not null,
  made_at timestamptz not null default now(),
  trouble text not null default ''
);
create table notice (
  number int generated always as identity primary key,
  kind text not null,
  words text not null,
  at timestamptz not null default now()
);
create table delivery (
  number int generated always as identity primary key,
  notice int not null references notice on delete cascade,
  account text references account on delete cascade,
  webhook text references webhook on delete cascade,
  made_at timestamptz not null default now(),
  due_at timestamptz not null default now(),
  tries int not null default 0,
  check ((account is null) <> (webhook is null))
);
`,
  },
  {
    number: 11,
    text: `
create table usage_hour (
  hour timestamptz not null,
  mac text not null check (mac ~ '^([0-9a-f]{2}:){5}[0-9a-f]{2}$'),
  network text not null,
  run text not null check (run <> ''),
  sent_packets bigint not null check (sent_packets >= 0),
  sent_bytes bigint not null check (sent_bytes >= 0),
  received_packets bigint not null check (received_packets >= 0),
  received_bytes bigint not null check (received_bytes >= 0),
  dropped bigint not null check (dropped >= 0),
  minutes int not null check (minutes >= 0),
  primary key (hour, mac, network, run)
);
create table usage_day (
  day date not null,
  mac text not null check (mac ~ '^([0-9a-f]{2}:){5}[0-9a-f]{2}$'),
  network text not null,
  sent_packets bigint not null check (sent_packets >= 0),
  sent_bytes bigint not null check (sent_bytes >= 0),
  received_packets bigint not null check (received_packets >= 0),
  received_bytes bigint not null check (received_bytes >= 0),
  dropped bigint not null check (dropped >= 0),
  minutes int not null check (minutes >= 0),
  primary key (day, mac, network)
);
`,
  },
  {
    number: 12,
    text: `
alter table rule add column allowance jsonb
  check (allowance is null or (effect = 'block' and internet and not log_only));
alter table override add column more jsonb check (more is null or effect = 'allow');
alter table override_act add column more jsonb;
create table spent (
  rule text not null check (rule <> ''),
  device text not null,
  mac text not null,
  from_at timestamptz not null,
  until_at timestamptz not null check (until_at > from_at),
  primary key (rule, device, mac, from_at)
);
create index spent_until on spent (until_at);
`,
  },
  {
    number: 13,
    text: `
create table list_source (
  list text primary key check (list <> ''),
  url text not null check (url ~ '^https?://'),
  every_hours int not null check (every_hours between 1 and 720),
  share int not null check (share between 1 and 100),
  inside boolean not null,
  etag text,
  modified text,
  checked_at timestamptz,
  changed_at timestamptz,
  change jsonb,
  trouble text not null default '',
  waiting jsonb,
  declined text
);
create table list_entries (digest text primary key, entries text not null);
alter table revision add column lists jsonb not null default '{}';
`,
  },
  {
    number: 14,
    text: `
create table log_server (
  id text primary key,
  host text not null check (host <> ''),
  port int not null check (port between 1 and 65535),
  transport text not null check (transport in ('tls', 'tcp', 'udp')),
  authority text not null,
  kinds jsonb not null,
  author text not null,
  made_at timestamptz not null default now(),
  told int not null,
  trouble text not null default ''
);
`,
  },
  {
    number: 15,
    text: `
alter table list_source drop constraint list_source_url_check;
alter table list_source add check (url ~* '^(https?|dns)://');
alter table list_source add column key text not null default '';
create table list_copy (
  list text primary key references list_source on delete cascade,
  serial bigint not null,
  lines text not null
);
create table transfer_key (
  name text primary key,
  secret text not null,
  author text not null,
  made_at timestamptz not null default now()
);
`,
  },
  {
    number: 16,
    text: `
alter table site_list add column digest text not null default '';
alter table site_list add column count int not null default 0;
update site_list set digest = encode(sha256(convert_to(entries, 'UTF8')), 'hex'), count = json_array_length(entries::json);
create index site_list_digest on site_list (digest);
`,
  },
  {
    number: 17,
    text: `
alter table place add column id text;
update place set id = 'first';
alter table place drop column only_one;
alter table place add primary key (id), add check (id ~ '^[a-z0-9-]+$');
alter table place add column number int generated always as identity;
create table member (
  place text not null check (place <> ''),
  account text not null references account on delete cascade,
  role text not null check (role in ('viewer', 'helper', 'editor', 'administrator')),
  helper_limit jsonb check ((helper_limit is not null) = (role = 'helper')),
  disabled_at timestamptz,
  mailed_at timestamptz,
  primary key (place, account)
);
create index on member (account);
insert into member select 'first', name, role, helper_limit, disabled_at, mailed_at from account;
alter table account drop column role, drop column helper_limit, drop column disabled_at, drop column mailed_at;
alter table place add column audit_days int check (audit_days > 0) default 365;
update place set audit_days = (select days from audit_setting);
drop table audit_setting;
alter table revision alter column number drop identity;

-- The key of whatever belongs to a place begins with it, and so does what refers to it; and a statement sees the rows
-- of the place for which it is made (kairostat.place) alone.
do $$
declare
  shared constant name[] := array['account', 'demo_mark', 'list_entries', 'mail_server', 'member', 'migration', 'place', 'recovery_code', 'session', 'sign_in_try'];
  own name;
  made record;
begin
  create temp table placed on commit drop as select oid, relname from pg_class
    where relnamespace = current_schema()::regnamespace and relkind = 'r' and not relname = any (shared);
  create temp table bound on commit drop as select relname, conname, contype, pg_get_constraintdef(constrained.oid) as definition
    from pg_constraint constrained join placed on placed.oid = conrelid
    where contype in ('p', 'u') or contype = 'f' and confrelid in (select oid from placed);
  create temp table listed on commit drop as select index_class.relname, pg_get_indexdef(indexrelid) as definition
    from pg_index join placed on placed.oid = indrelid join pg_class index_class on index_class.oid = indexrelid
    where not exists (select from pg_constraint where conindid = indexrelid);
  for made in select * from bound order by contype = 'f' desc loop
    execute format('alter table %I drop constraint %I', made.relname, made.conname);
  end loop;
  for made in select * from listed loop
    execute format('drop index %I', made.relname);
  end loop;
  for own in select relname from placed loop
    execute format('alter table %I add column place text not null default ''first'' check (place <> '''')', own);
    execute format('alter table %I alter column place set default current_setting(''kairostat.place'')', own);
  end loop;
  for made in select * from bound order by contype = 'f' loop
    execute format('alter table %I add constraint %I %s', made.relname, made.conname, regexp_replace(
      regexp_replace(made.definition, '^([A-Z ]+) \\(', '\\1 (place, '), 'REFERENCES (\\w+)\\(', 'REFERENCES \\1(place, '));
  end loop;
  for made in select * from listed loop
    execute regexp_replace(made.definition, 'USING btree \\(', 'USING btree (place, ');
  end loop;
  for own in select relname from placed loop
    execute format('create policy here on %I using (place = current_setting(''kairostat.place''))', own);
    execute format('alter table %I enable row level security', own);
  end loop;
end $$;
-- A backup is restored table by table in the order in which they were made, and this one was made last.
alter table token drop constraint token_account_fkey, add foreign key (place, account) references member on delete cascade deferrable initially deferred;
alter table notice_wish drop constraint notice_wish_account_fkey, add foreign key (place, account) references member on delete cascade deferrable initially deferred;
alter table delivery drop constraint delivery_account_fkey, add foreign key (place, account) references member on delete cascade deferrable initially deferred;
`,
  },
  {
    number: 18,
    text: `
create table paired_gateway (
  place text primary key default current_setting('kairostat.place') check (place <> ''),
  address text not null check (address <> ''),
  secret text not null check (secret <> ''),
  paired_at timestamptz not null default now()
);
create policy here on paired_gateway using (place = current_setting('kairostat.place'));
alter table paired_gateway enable row level security;
`,
  },
  {
    number: 19,
    text: `
create table holding (
  place text primary key default current_setting('kairostat.place') check (place <> ''),
  peer text not null,
  state text not null default 'pending' check (state in ('in-force', 'pending', 'refused', 'away')),
  is_simulated boolean not null default false,
  alarms int not null default 0
);
create policy here on holding using (place = current_setting('kairostat.place'));
alter table holding enable row level security;
alter table place add column is_bound boolean not null default false;
create table peer_secret (only_one boolean primary key default true check (only_one), secret text not null);
`,
  },
  {
    number: 20,
    text: `
alter table list_source add column failures int not null default 0;
alter table place add column key text not null default md5(random()::text || clock_timestamp()::text);
create table process (
  id text primary key,
  seen_at timestamptz not null default now(),
  is_shut_out boolean not null default false
);
create table code_try (
  account text not null references account on delete cascade,
  tried_at timestamptz not null default now()
);
create index code_try_account on code_try (account);
`,
  },
  {
    number: 21,
    text: `
alter table place add column is_trial boolean not null default false;
alter table holding drop constraint holding_state_check,
  add check (state in ('in-force', 'pending', 'refused', 'away', 'none'));
`,
  },
  {
    number: 22,
    // A group that is a person owns its members: each device has one owner at most, once all is written.
    text: `
alter table device_group add column is_person boolean not null default false;
alter table group_member add column is_owner boolean not null default false,
  add constraint group_member_one_owner exclude using btree (place with =, device_id with =)
    where (is_owner) deferrable initially deferred;
`,
  },
  {
    number: 23,
    // The part that an override is on; none = the internet as a whole.
    text: `
alter table override add column what jsonb check (what is null or more is null);
alter table override_act add column what jsonb;
`,
  },
  {
    number: 24,
    // Acts under a name of one's own: what they override is in `act`, as protocol/edits.ts reads it.
    text: `
create table saved_act (
  place text not null default current_setting('kairostat.place') references place on delete cascade,
  id text not null,
  name text not null check (name <> ''),
  act jsonb not null,
  author text not null,
  position bigint generated always as identity,
  primary key (place, id),
  unique (place, name)
);
create policy here on saved_act using (place = current_setting('kairostat.place'));
alter table saved_act enable row level security;
`,
  },
  {
    number: 25,
    // The entry that an edit is about, in words; none = from before that was noted.
    text: `
alter table draft_step add column title text not null default '';
`,
  },
  {
    number: 26,
    // How many entries of each kind a revision changed; none = from before that was noted.
    text: `
alter table revision add column changed jsonb;
`,
  },
  {
    number: 27,
    // The name of the dates of an exception, such as a holiday.
    text: `
alter table schedule_exception add column name text not null default '';
`,
  },
]

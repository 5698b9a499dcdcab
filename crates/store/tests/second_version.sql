-- The schema as the second version made it.
create table recordings (
    id integer primary key autoincrement,
    site text not null,
    page text not null,
    url text not null,
    source text not null,
    conditions text,
    browser text,
    machine text,
    recorded_at text not null,
    imported_from text,
    summary text,
    deleted_at text
) strict;
create table loads (
    recording integer not null references recordings(id) on delete cascade,
    number integer not null,
    visit text not null,
    failed text,
    load blob,
    page blob,
    trace blob,
    analysis blob,
    analysis_version integer,
    primary key (recording, number)
) strict, without rowid;
create table frames (
    recording integer not null,
    number integer not null,
    file text not null,
    at_ms real not null,
    picture blob not null,
    primary key (recording, number, file),
    foreign key (recording, number) references loads(recording, number) on delete cascade
) strict;
create table bodies (
    hash text primary key,
    packed integer not null,
    bytes blob not null
) strict;
create table recording_bodies (
    recording integer not null references recordings(id) on delete cascade,
    hash text not null references bodies(hash),
    primary key (recording, hash)
) strict, without rowid;
create table plans (
    site text primary key,
    own_order integer not null default 0
) strict;
create table fixes (
    id integer primary key autoincrement,
    site text not null,
    kind text not null,
    target text not null,
    title text not null,
    owner text not null,
    effort text not null,
    risk text not null,
    state text not null default 'open',
    reason text,
    place integer,
    on_path_ms real not null,
    finding_key text not null,
    finding_title text not null,
    recording integer,
    load_number integer,
    added_at text not null,
    unique (site, kind, target)
) strict;
alter table loads add column tracks blob;
alter table recordings add column detail blob;
alter table recordings add column inline_only blob;

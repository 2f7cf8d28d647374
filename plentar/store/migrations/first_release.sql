-- Every table, function and trigger of the first release, as PostgreSQL writes them down (pg_dump --schema-only).

CREATE EXTENSION IF NOT EXISTS pg_trgm WITH SCHEMA public;

CREATE FUNCTION public.audit_is_evidence() RETURNS trigger
    LANGUAGE plpgsql
    SET search_path TO 'pg_catalog', 'public', 'pg_temp'
    AS $$
    begin
        if TG_OP = 'UPDATE' and current_setting('plentar.erasing', true) = 'on'
            and current_user = (select pg_get_userbyid(relowner) from pg_class where oid = TG_RELID)
            and (to_jsonb(NEW) - 'before' - 'after') = (to_jsonb(OLD) - 'before' - 'after') then
            return NEW;
        end if;
        raise exception 'the audit is append-only';
    end $$;

CREATE FUNCTION public.erase_audit(of_shop uuid, told text) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'pg_catalog', 'public', 'pg_temp'
    AS $$
    begin
        perform set_config('plentar.erasing', 'on', true);
        update public.audit set after = null
            where shop_id = of_shop and about = told and deed = 'call cancelled' and after is not null;
        perform set_config('plentar.erasing', '', true);
    end $$;

CREATE FUNCTION public.erase_call(of_shop uuid, of_call uuid, kinds text[], by_person uuid, told text) RETURNS boolean
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'pg_catalog', 'public', 'pg_temp'
    AS $$
    declare
        events integer;
        photos integer := 0;
    begin
        perform set_config('plentar.erasing', 'on', true);
        update public.event set payload = payload || public.words_erased(kind)
            where shop_id = of_shop and call_id = of_call and kind = any(kinds)
            and payload is distinct from payload || public.words_erased(kind);
        get diagnostics events = row_count;
        perform set_config('plentar.erasing', '', true);
        if 'photo' = any(kinds) then
            delete from public.photo using public.event
                where event.shop_id = of_shop and event.call_id = of_call and event.kind = 'photo'
                and photo.shop_id = of_shop and photo.id = event.id;
            get diagnostics photos = row_count;
        end if;
        if events + photos > 0 then
            insert into public.audit (shop_id, id, at, person_id, deed, about, after)
                values (of_shop, gen_random_uuid(), now(), by_person, 'erased', left(told, 200),
                    jsonb_build_object('call', of_call, 'entries', events, 'photos', photos));
        end if;
        return events + photos > 0;
    end $$;

CREATE FUNCTION public.event_is_evidence() RETURNS trigger
    LANGUAGE plpgsql
    SET search_path TO 'pg_catalog', 'public', 'pg_temp'
    AS $$
    begin
        if TG_OP = 'UPDATE' and current_setting('plentar.erasing', true) = 'on' and OLD.kind <> 'reading'
            and current_user = (select pg_get_userbyid(relowner) from pg_class where oid = TG_RELID)
            and (to_jsonb(NEW) - 'payload') = (to_jsonb(OLD) - 'payload') then
            return NEW;
        end if;
        raise exception 'events are append-only: correct or strike out with a later one instead';
    end $$;

CREATE FUNCTION public.practice_step_is_kept() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
    begin
        raise exception 'practice steps are append-only';
    end $$;

CREATE FUNCTION public.search_call() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
    declare at_place uuid;
    begin
        delete from search_line where shop_id = NEW.shop_id and kind = 'call' and id = NEW.id;
        select place_id into at_place from unit where shop_id = NEW.shop_id and id = NEW.unit_id;
        if NEW.status not in ('withdrawn') then
            insert into search_line (shop_id, kind, id, place_id, unit_id, call_id, at, words)
            values (NEW.shop_id, 'call', NEW.id, at_place, NEW.unit_id, NEW.id, NEW.scheduled_at,
                concat_ws(' · ', (select string_agg(value, ', ') from jsonb_array_elements_text(NEW.complaints)),
                    nullif(NEW.words, ''), nullif(NEW.outcome, '')));
        end if;
        return null;
    end $$;

CREATE FUNCTION public.search_event() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
    declare said text; at_unit uuid; at_place uuid;
    begin
        said := concat_ws(' · ', nullif(NEW.payload->>'title', ''), nullif(NEW.payload->>'cause', ''),
            nullif(NEW.payload->>'name', ''), nullif(NEW.payload->>'note', ''), nullif(NEW.payload->>'words', ''),
            nullif(NEW.payload->>'how', ''), nullif(NEW.payload->>'tag', ''));
        delete from search_line where shop_id = NEW.shop_id and kind = NEW.kind and id = NEW.id;
        if said <> '' then
            select unit.id, unit.place_id into at_unit, at_place from call
                join unit on unit.shop_id = call.shop_id and unit.id = call.unit_id
                where call.shop_id = NEW.shop_id and call.id = NEW.call_id;
            insert into search_line (shop_id, kind, id, place_id, unit_id, call_id, at, words)
            values (NEW.shop_id, NEW.kind, NEW.id, at_place, at_unit, NEW.call_id, NEW.done_at, said);
        end if;
        return null;
    end $$;

CREATE FUNCTION public.search_place() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
    begin
        delete from search_line where shop_id = NEW.shop_id and kind = 'place' and id = NEW.id;
        if NEW.removed_at is null then
            insert into search_line (shop_id, kind, id, place_id, words) values (NEW.shop_id, 'place', NEW.id, NEW.id,
                concat_ws(' · ', NEW.name, nullif(NEW.town, ''), nullif(NEW.occupant, ''), nullif(NEW.estate, ''),
                    nullif(NEW.block, ''), nullif(NEW.access_note, ''), nullif(NEW.phone, '')));
        end if;
        return null;
    end $$;

CREATE FUNCTION public.search_unit() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
    begin
        delete from search_line where shop_id = NEW.shop_id and kind = 'unit' and id = NEW.id;
        if NEW.removed_at is null then
            insert into search_line (shop_id, kind, id, place_id, unit_id, words)
            values (NEW.shop_id, 'unit', NEW.id, NEW.place_id, NEW.id,
                concat_ws(' · ', NEW.label, nullif(NEW.nameplate->>'maker', ''), nullif(NEW.nameplate->>'model', ''),
                    nullif(NEW.nameplate->>'serial', '')));
        end if;
        return null;
    end $$;

CREATE FUNCTION public.words_erased(kind text) RETURNS jsonb
    LANGUAGE sql IMMUTABLE
    SET search_path TO 'pg_catalog', 'pg_temp'
    AS $$
        select case kind
            when 'amend' then '{"words": "", "at_risk": ""}'::jsonb
            when 'seen' then '{"note": ""}'::jsonb
            when 'photo' then '{"note": ""}'::jsonb
            when 'note' then '{"words": "erased"}'::jsonb
            when 'signed' then '{"name": "erased", "strokes": []}'::jsonb
            when 'approval' then '{"who": "erased"}'::jsonb
            else '{}'::jsonb end
    $$;

CREATE TABLE public.audit (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    at timestamp with time zone NOT NULL,
    person_id uuid,
    deed character varying(40) NOT NULL,
    about character varying(200) NOT NULL,
    before jsonb,
    after jsonb,
    import_id uuid
);

CREATE TABLE public.block_minutes (
    shop_id uuid NOT NULL,
    block_a character varying(120) NOT NULL,
    block_b character varying(120) NOT NULL,
    minutes double precision NOT NULL,
    CONSTRAINT ck_block_minutes_minutes CHECK (((minutes > (0)::double precision) AND (minutes < (1000)::double precision) AND ((block_a)::text < (block_b)::text)))
);

CREATE TABLE public.call (
    id uuid NOT NULL,
    shop_id uuid NOT NULL,
    unit_id uuid NOT NULL,
    technician_id uuid NOT NULL,
    meter_id uuid NOT NULL,
    words text NOT NULL,
    status character varying(20) NOT NULL,
    scheduled_at timestamp with time zone NOT NULL,
    closed_at timestamp with time zone,
    outcome text NOT NULL,
    complaints jsonb NOT NULL,
    at_risk text DEFAULT ''::text NOT NULL,
    outdoor_degf double precision,
    indoor_degf double precision,
    seq integer NOT NULL,
    asides integer DEFAULT 0 NOT NULL,
    window_minutes integer DEFAULT 0 NOT NULL,
    minutes integer DEFAULT 60 NOT NULL,
    plan_version integer DEFAULT 1 NOT NULL,
    returns_to_id uuid,
    round_id uuid,
    cancelled_why character varying(400) DEFAULT ''::character varying NOT NULL,
    import_id uuid,
    CONSTRAINT ck_call_plan CHECK (((window_minutes >= 0) AND (minutes > 0))),
    CONSTRAINT ck_call_status CHECK ((status IN ('planned', 'open', 'closed', 'withdrawn', 'cancelled')))
);

CREATE TABLE public.event (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    call_id uuid NOT NULL,
    seq integer NOT NULL,
    kind character varying(20) NOT NULL,
    payload jsonb NOT NULL,
    person_id uuid NOT NULL,
    done_at timestamp with time zone NOT NULL,
    come_at timestamp with time zone NOT NULL,
    clock_seconds double precision NOT NULL,
    phone_id uuid,
    CONSTRAINT ck_event_numbers CHECK (((seq > 0) AND (clock_seconds >= (0)::double precision)))
);

CREATE TABLE public.feed_key (
    shop_id uuid NOT NULL,
    person_id uuid NOT NULL,
    token_hash bytea NOT NULL,
    with_words boolean NOT NULL,
    made_at timestamp with time zone NOT NULL
);

CREATE TABLE public.follow_up (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    place_id uuid NOT NULL,
    unit_id uuid,
    call_id uuid,
    words character varying(400) NOT NULL,
    due_on date NOT NULL,
    made_by_id uuid NOT NULL,
    made_at timestamp with time zone NOT NULL,
    done_at timestamp with time zone,
    done_by_id uuid
);

CREATE TABLE public.forgotten (
    shop_id uuid NOT NULL,
    place_id uuid NOT NULL,
    at timestamp with time zone NOT NULL,
    person_id uuid
);

CREATE TABLE public.import_batch (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    at timestamp with time zone NOT NULL,
    person_id uuid,
    by character varying(120) NOT NULL,
    file character varying(200) NOT NULL
);

CREATE TABLE public.kit (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    model character varying(120) NOT NULL,
    label jsonb NOT NULL
);

CREATE TABLE public.learner (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    person_id uuid,
    class_id uuid,
    name character varying(80) NOT NULL,
    token_hash bytea,
    made_at timestamp with time zone NOT NULL,
    CONSTRAINT ck_learner_one_of CHECK (((person_id IS NULL) <> (class_id IS NULL)))
);

CREATE TABLE public.log_samples (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    samples bytea NOT NULL
);

CREATE TABLE public.meter (
    id uuid NOT NULL,
    shop_id uuid NOT NULL,
    name character varying(120) NOT NULL,
    ranges jsonb NOT NULL,
    has_low_impedance boolean DEFAULT false NOT NULL,
    calibrated_on date,
    calibration_months integer,
    version integer DEFAULT 1 NOT NULL,
    retired_at timestamp with time zone
);

CREATE TABLE public.one_time_link (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    person_id uuid NOT NULL,
    kind character varying(10) NOT NULL,
    token_hash bytea NOT NULL,
    made_at timestamp with time zone NOT NULL,
    expires_at timestamp with time zone NOT NULL,
    used_at timestamp with time zone,
    CONSTRAINT ck_one_time_link_kind CHECK ((kind IN ('invite', 'reset')))
);

CREATE TABLE public.part (
    id uuid NOT NULL,
    shop_id uuid NOT NULL,
    name character varying(120) NOT NULL,
    label jsonb NOT NULL
);

CREATE TABLE public.part_order (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    call_id uuid NOT NULL,
    name character varying(200) NOT NULL,
    state character varying(20) NOT NULL,
    person_id uuid NOT NULL,
    made_at timestamp with time zone NOT NULL,
    changed_at timestamp with time zone NOT NULL,
    expected_on date,
    CONSTRAINT ck_part_order_state CHECK ((state IN ('to order', 'ordered', 'here', 'fitted', 'not needed')))
);

CREATE TABLE public.passkey (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    person_id uuid NOT NULL,
    credential_id bytea NOT NULL,
    public_key bytea NOT NULL,
    sign_count integer NOT NULL,
    name character varying(60) NOT NULL,
    made_at timestamp with time zone NOT NULL,
    used_at timestamp with time zone,
    CONSTRAINT ck_passkey_sign_count CHECK ((sign_count >= 0))
);

CREATE TABLE public.passkey_challenge (
    hash bytea NOT NULL,
    person_id uuid,
    expires_at timestamp with time zone NOT NULL
);

CREATE TABLE public.person (
    id uuid NOT NULL,
    shop_id uuid NOT NULL,
    name character varying(120) NOT NULL,
    email character varying(254) NOT NULL,
    role character varying(20) NOT NULL,
    password_hash character varying(200) NOT NULL,
    deactivated_at timestamp with time zone,
    reads_celsius boolean DEFAULT false NOT NULL,
    reads_metric_wire boolean DEFAULT false NOT NULL,
    import_id uuid,
    CONSTRAINT ck_person_email_lower CHECK (((email)::text = lower((email)::text))),
    CONSTRAINT ck_person_role CHECK ((role IN ('technician', 'lead')))
);

CREATE TABLE public.phone (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    person_id uuid NOT NULL,
    sign_in_id uuid NOT NULL,
    seal_key bytea NOT NULL,
    unlock_key bytea NOT NULL,
    since timestamp with time zone NOT NULL,
    ended_at timestamp with time zone,
    CONSTRAINT ck_phone_keys CHECK (((length(seal_key) = 32) AND (length(unlock_key) = 32)))
);

CREATE TABLE public.photo (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    image bytea NOT NULL,
    thumbnail bytea NOT NULL
);

CREATE TABLE public.place (
    id uuid NOT NULL,
    shop_id uuid NOT NULL,
    name character varying(120) NOT NULL,
    town character varying(120) NOT NULL,
    occupant character varying(120) NOT NULL,
    access_note text NOT NULL,
    version integer DEFAULT 1 NOT NULL,
    removed_at timestamp with time zone,
    phone character varying(40) DEFAULT ''::character varying NOT NULL,
    estate character varying(120) DEFAULT ''::character varying NOT NULL,
    block character varying(120) DEFAULT ''::character varying NOT NULL,
    stair character varying(40) DEFAULT ''::character varying NOT NULL,
    door character varying(40) DEFAULT ''::character varying NOT NULL,
    latitude double precision,
    longitude double precision,
    forgotten_at timestamp with time zone,
    import_id uuid
);

CREATE TABLE public.place_change (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    place_id uuid NOT NULL,
    person_id uuid NOT NULL,
    changed_at timestamp with time zone NOT NULL,
    before jsonb NOT NULL
);

CREATE TABLE public.practice_answer (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    learner_id uuid NOT NULL,
    skill character varying(40) NOT NULL,
    item character varying(120) NOT NULL,
    difficulty double precision NOT NULL,
    guess double precision NOT NULL,
    is_right boolean NOT NULL,
    answered_at timestamp with time zone NOT NULL
);

CREATE TABLE public.practice_case (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    title character varying(120) NOT NULL,
    document jsonb NOT NULL,
    made_at timestamp with time zone NOT NULL
);

CREATE TABLE public.practice_class (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    name character varying(120) NOT NULL,
    code character varying(12) NOT NULL,
    case_ids jsonb NOT NULL,
    made_at timestamp with time zone NOT NULL,
    closed_at timestamp with time zone,
    open_until timestamp with time zone NOT NULL,
    CONSTRAINT ck_practice_class_code_upper CHECK (((code)::text = upper((code)::text)))
);

CREATE TABLE public.practice_run (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    learner_id uuid NOT NULL,
    case_id character varying(60) NOT NULL,
    document jsonb NOT NULL,
    began_at timestamp with time zone NOT NULL,
    touched_at timestamp with time zone NOT NULL,
    ended_at timestamp with time zone,
    seconds double precision NOT NULL,
    seq integer NOT NULL,
    score jsonb,
    CONSTRAINT ck_practice_run_forward CHECK (((seconds >= (0)::double precision) AND (seq >= 0)))
);

CREATE TABLE public.practice_step (
    shop_id uuid NOT NULL,
    run_id uuid NOT NULL,
    seq integer NOT NULL,
    id uuid NOT NULL,
    at_seconds double precision NOT NULL,
    act jsonb NOT NULL
);

CREATE TABLE public.round (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    name character varying(120) NOT NULL,
    owner character varying(120) NOT NULL,
    made_by_id uuid NOT NULL,
    made_at timestamp with time zone NOT NULL,
    state character varying(20) NOT NULL,
    wanted jsonb NOT NULL,
    version integer NOT NULL,
    import_id uuid,
    CONSTRAINT ck_round_state CHECK ((state IN ('being made', 'planned', 'closed')))
);

CREATE TABLE public.search_line (
    shop_id uuid NOT NULL,
    kind character varying(20) NOT NULL,
    id uuid NOT NULL,
    place_id uuid NOT NULL,
    unit_id uuid,
    call_id uuid,
    at timestamp with time zone,
    words text NOT NULL,
    found tsvector GENERATED ALWAYS AS (to_tsvector('simple'::regconfig, words)) STORED NOT NULL
);

CREATE TABLE public.set_aside (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    call_id uuid NOT NULL,
    person_id uuid NOT NULL,
    what character varying(60) NOT NULL,
    fields jsonb NOT NULL,
    body bytea NOT NULL,
    content_type character varying(200) NOT NULL,
    why text NOT NULL,
    done_at timestamp with time zone NOT NULL,
    clock_seconds double precision NOT NULL,
    come_at timestamp with time zone NOT NULL,
    seen_at timestamp with time zone,
    seen_by_id uuid,
    phone_id uuid,
    drafts jsonb
);

CREATE TABLE public.share_link (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    call_id uuid NOT NULL,
    person_id uuid NOT NULL,
    token_hash bytea NOT NULL,
    made_at timestamp with time zone NOT NULL,
    expires_at timestamp with time zone NOT NULL,
    revoked_at timestamp with time zone
);

CREATE TABLE public.share_open (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    link_id uuid NOT NULL,
    opened_at timestamp with time zone NOT NULL,
    words character varying(120) NOT NULL
);

CREATE TABLE public.shop (
    id uuid NOT NULL,
    name character varying(120) NOT NULL,
    time_zone character varying(60) NOT NULL,
    currency character varying(3) DEFAULT 'USD'::character varying NOT NULL,
    tax_percent double precision DEFAULT '0'::double precision NOT NULL,
    price_kwh double precision,
    set_up_at timestamp with time zone,
    retention jsonb DEFAULT '{}'::jsonb NOT NULL,
    CONSTRAINT ck_shop_currency CHECK (((currency)::text ~ '^[A-Z]{3}$'::text)),
    CONSTRAINT ck_shop_price_kwh CHECK (((price_kwh > (0)::double precision) AND (price_kwh < (10)::double precision))),
    CONSTRAINT ck_shop_tax CHECK (((tax_percent >= (0)::double precision) AND (tax_percent < (100)::double precision)))
);

CREATE TABLE public.shop_limit (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    name character varying(60) NOT NULL,
    figures jsonb,
    person_id uuid NOT NULL,
    set_at timestamp with time zone NOT NULL,
    why text NOT NULL
);

CREATE TABLE public.sign_in (
    shop_id uuid NOT NULL,
    id uuid NOT NULL,
    person_id uuid NOT NULL,
    token_hash bytea NOT NULL,
    device_hash bytea,
    words character varying(120) NOT NULL,
    since timestamp with time zone NOT NULL,
    seen_at timestamp with time zone NOT NULL,
    ended_at timestamp with time zone
);

CREATE TABLE public.sign_in_guess (
    key character varying(300) NOT NULL,
    since timestamp with time zone NOT NULL,
    tries integer NOT NULL
);

CREATE TABLE public.stock (
    shop_id uuid NOT NULL,
    part_id uuid NOT NULL,
    person_id uuid NOT NULL,
    count integer NOT NULL,
    CONSTRAINT ck_stock_count CHECK ((count >= 0))
);

CREATE TABLE public.unit (
    id uuid NOT NULL,
    shop_id uuid NOT NULL,
    place_id uuid NOT NULL,
    label character varying(120) NOT NULL,
    nameplate jsonb NOT NULL,
    version integer DEFAULT 1 NOT NULL,
    removed_at timestamp with time zone,
    import_id uuid
);

CREATE TABLE public.unit_table (
    version character varying(40) NOT NULL,
    circuit character varying(40) NOT NULL,
    drive character varying(40) NOT NULL,
    packed bytea NOT NULL,
    made_at timestamp with time zone NOT NULL
);

ALTER TABLE ONLY public.audit
    ADD CONSTRAINT pk_audit PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.block_minutes
    ADD CONSTRAINT pk_block_minutes PRIMARY KEY (shop_id, block_a, block_b);

ALTER TABLE ONLY public.call
    ADD CONSTRAINT pk_call PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.event
    ADD CONSTRAINT pk_event PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.feed_key
    ADD CONSTRAINT pk_feed_key PRIMARY KEY (shop_id, person_id);

ALTER TABLE ONLY public.follow_up
    ADD CONSTRAINT pk_follow_up PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.forgotten
    ADD CONSTRAINT pk_forgotten PRIMARY KEY (shop_id, place_id);

ALTER TABLE ONLY public.import_batch
    ADD CONSTRAINT pk_import_batch PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.kit
    ADD CONSTRAINT pk_kit PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.learner
    ADD CONSTRAINT pk_learner PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.log_samples
    ADD CONSTRAINT pk_log_samples PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.meter
    ADD CONSTRAINT pk_meter PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.one_time_link
    ADD CONSTRAINT pk_one_time_link PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.part
    ADD CONSTRAINT pk_part PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.part_order
    ADD CONSTRAINT pk_part_order PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.passkey
    ADD CONSTRAINT pk_passkey PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.passkey_challenge
    ADD CONSTRAINT pk_passkey_challenge PRIMARY KEY (hash);

ALTER TABLE ONLY public.person
    ADD CONSTRAINT pk_person PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.phone
    ADD CONSTRAINT pk_phone PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.photo
    ADD CONSTRAINT pk_photo PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.place
    ADD CONSTRAINT pk_place PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.place_change
    ADD CONSTRAINT pk_place_change PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.practice_answer
    ADD CONSTRAINT pk_practice_answer PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.practice_case
    ADD CONSTRAINT pk_practice_case PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.practice_class
    ADD CONSTRAINT pk_practice_class PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.practice_run
    ADD CONSTRAINT pk_practice_run PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.practice_step
    ADD CONSTRAINT pk_practice_step PRIMARY KEY (shop_id, run_id, seq);

ALTER TABLE ONLY public.round
    ADD CONSTRAINT pk_round PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.search_line
    ADD CONSTRAINT pk_search_line PRIMARY KEY (shop_id, kind, id);

ALTER TABLE ONLY public.set_aside
    ADD CONSTRAINT pk_set_aside PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.share_link
    ADD CONSTRAINT pk_share_link PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.share_open
    ADD CONSTRAINT pk_share_open PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.shop
    ADD CONSTRAINT pk_shop PRIMARY KEY (id);

ALTER TABLE ONLY public.shop_limit
    ADD CONSTRAINT pk_shop_limit PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.sign_in
    ADD CONSTRAINT pk_sign_in PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.sign_in_guess
    ADD CONSTRAINT pk_sign_in_guess PRIMARY KEY (key);

ALTER TABLE ONLY public.stock
    ADD CONSTRAINT pk_stock PRIMARY KEY (shop_id, part_id, person_id);

ALTER TABLE ONLY public.unit
    ADD CONSTRAINT pk_unit PRIMARY KEY (shop_id, id);

ALTER TABLE ONLY public.unit_table
    ADD CONSTRAINT pk_unit_table PRIMARY KEY (version, circuit, drive);

ALTER TABLE ONLY public.feed_key
    ADD CONSTRAINT uq_feed_key_token_hash UNIQUE (token_hash);

ALTER TABLE ONLY public.kit
    ADD CONSTRAINT uq_kit_shop_id_model UNIQUE (shop_id, model);

ALTER TABLE ONLY public.learner
    ADD CONSTRAINT uq_learner_token_hash UNIQUE (token_hash);

ALTER TABLE ONLY public.meter
    ADD CONSTRAINT uq_meter_shop_id_name UNIQUE (shop_id, name);

ALTER TABLE ONLY public.one_time_link
    ADD CONSTRAINT uq_one_time_link_token_hash UNIQUE (token_hash);

ALTER TABLE ONLY public.part
    ADD CONSTRAINT uq_part_shop_id_name UNIQUE (shop_id, name);

ALTER TABLE ONLY public.passkey
    ADD CONSTRAINT uq_passkey_credential_id UNIQUE (credential_id);

ALTER TABLE ONLY public.person
    ADD CONSTRAINT uq_person_email UNIQUE (email);

ALTER TABLE ONLY public.practice_class
    ADD CONSTRAINT uq_practice_class_code UNIQUE (code);

ALTER TABLE ONLY public.practice_step
    ADD CONSTRAINT uq_practice_step_shop_id_id UNIQUE (shop_id, id);

ALTER TABLE ONLY public.share_link
    ADD CONSTRAINT uq_share_link_token_hash UNIQUE (token_hash);

ALTER TABLE ONLY public.sign_in
    ADD CONSTRAINT uq_sign_in_token_hash UNIQUE (token_hash);

CREATE INDEX ix_audit_shop_id_at ON public.audit USING btree (shop_id, at);

CREATE INDEX ix_call_shop_id_round_id ON public.call USING btree (shop_id, round_id);

CREATE INDEX ix_call_shop_id_status_scheduled_at ON public.call USING btree (shop_id, status, scheduled_at);

CREATE INDEX ix_call_shop_id_unit_id_scheduled_at ON public.call USING btree (shop_id, unit_id, scheduled_at);

CREATE INDEX ix_event_temporary ON public.event USING btree (shop_id, kind) WHERE (kind IN ('temporary', 'temporary-done'));

CREATE INDEX ix_event_told ON public.event USING btree (shop_id, call_id) WHERE (kind IN ('cause', 'part', 'temporary', 'temporary-done', 'photo', 'mark', 'void'));

CREATE INDEX ix_follow_up_open ON public.follow_up USING btree (shop_id, due_on) WHERE (done_at IS NULL);

CREATE INDEX ix_follow_up_shop_id_place_id ON public.follow_up USING btree (shop_id, place_id);

CREATE INDEX ix_learner_shop_id_class_id ON public.learner USING btree (shop_id, class_id);

CREATE INDEX ix_one_time_link_shop_id_person_id ON public.one_time_link USING btree (shop_id, person_id);

CREATE INDEX ix_part_order_open ON public.part_order USING btree (shop_id, state) WHERE (state IN ('to order', 'ordered', 'here'));

CREATE INDEX ix_part_order_shop_id_call_id ON public.part_order USING btree (shop_id, call_id);

CREATE INDEX ix_passkey_shop_id_person_id ON public.passkey USING btree (shop_id, person_id);

CREATE INDEX ix_phone_shop_id_person_id ON public.phone USING btree (shop_id, person_id);

CREATE INDEX ix_place_change_shop_id_place_id_changed_at ON public.place_change USING btree (shop_id, place_id, changed_at);

CREATE INDEX ix_practice_answer_shop_id_learner_id_answered_at ON public.practice_answer USING btree (shop_id, learner_id, answered_at);

CREATE INDEX ix_practice_run_shop_id_learner_id_began_at ON public.practice_run USING btree (shop_id, learner_id, began_at);

CREATE INDEX ix_round_shop_id_made_at ON public.round USING btree (shop_id, made_at);

CREATE INDEX ix_search_line_found ON public.search_line USING gin (found);

CREATE INDEX ix_search_line_shop_id_place_id ON public.search_line USING btree (shop_id, place_id);

CREATE INDEX ix_search_line_words ON public.search_line USING gin (words public.gin_trgm_ops);

CREATE INDEX ix_set_aside_phone ON public.set_aside USING btree (shop_id, phone_id);

CREATE INDEX ix_set_aside_shop_id_call_id ON public.set_aside USING btree (shop_id, call_id);

CREATE INDEX ix_share_link_shop_id_call_id ON public.share_link USING btree (shop_id, call_id);

CREATE INDEX ix_share_open_shop_id_link_id ON public.share_open USING btree (shop_id, link_id);

CREATE INDEX ix_shop_limit_shop_id_name_set_at ON public.shop_limit USING btree (shop_id, name, set_at);

CREATE INDEX ix_sign_in_device_hash ON public.sign_in USING btree (device_hash);

CREATE INDEX ix_sign_in_shop_id_person_id_seen_at ON public.sign_in USING btree (shop_id, person_id, seen_at);

CREATE INDEX ix_unit_shop_id_place_id ON public.unit USING btree (shop_id, place_id);

CREATE UNIQUE INDEX uq_event_call_seq ON public.event USING btree (shop_id, call_id, seq);

CREATE UNIQUE INDEX uq_learner_person ON public.learner USING btree (shop_id, person_id) WHERE (person_id IS NOT NULL);

CREATE UNIQUE INDEX uq_place_shop_id_name ON public.place USING btree (shop_id, name) WHERE (removed_at IS NULL);

CREATE TRIGGER audit_is_evidence BEFORE DELETE OR UPDATE ON public.audit FOR EACH ROW EXECUTE FUNCTION public.audit_is_evidence();

CREATE TRIGGER event_is_evidence BEFORE DELETE OR UPDATE ON public.event FOR EACH ROW EXECUTE FUNCTION public.event_is_evidence();

CREATE TRIGGER practice_step_is_kept BEFORE DELETE OR UPDATE ON public.practice_step FOR EACH ROW EXECUTE FUNCTION public.practice_step_is_kept();

CREATE TRIGGER search_call AFTER INSERT OR UPDATE OF complaints, words, outcome, status, scheduled_at, unit_id ON public.call FOR EACH ROW EXECUTE FUNCTION public.search_call();

CREATE TRIGGER search_event AFTER INSERT OR UPDATE ON public.event FOR EACH ROW WHEN ((new.kind IN ('seen', 'photo', 'cause', 'part', 'note', 'temporary'))) EXECUTE FUNCTION public.search_event();

CREATE TRIGGER search_place AFTER INSERT OR UPDATE ON public.place FOR EACH ROW EXECUTE FUNCTION public.search_place();

CREATE TRIGGER search_unit AFTER INSERT OR UPDATE ON public.unit FOR EACH ROW EXECUTE FUNCTION public.search_unit();

ALTER TABLE ONLY public.audit
    ADD CONSTRAINT fk_audit_shop_id_import_id_import_batch FOREIGN KEY (shop_id, import_id) REFERENCES public.import_batch(shop_id, id);

ALTER TABLE ONLY public.audit
    ADD CONSTRAINT fk_audit_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.audit
    ADD CONSTRAINT fk_audit_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.block_minutes
    ADD CONSTRAINT fk_block_minutes_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.call
    ADD CONSTRAINT fk_call_shop_id_import_id_import_batch FOREIGN KEY (shop_id, import_id) REFERENCES public.import_batch(shop_id, id);

ALTER TABLE ONLY public.call
    ADD CONSTRAINT fk_call_shop_id_meter_id_meter FOREIGN KEY (shop_id, meter_id) REFERENCES public.meter(shop_id, id);

ALTER TABLE ONLY public.call
    ADD CONSTRAINT fk_call_shop_id_returns_to_id_call FOREIGN KEY (shop_id, returns_to_id) REFERENCES public.call(shop_id, id) DEFERRABLE INITIALLY DEFERRED;

ALTER TABLE ONLY public.call
    ADD CONSTRAINT fk_call_shop_id_round_id_round FOREIGN KEY (shop_id, round_id) REFERENCES public.round(shop_id, id);

ALTER TABLE ONLY public.call
    ADD CONSTRAINT fk_call_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.call
    ADD CONSTRAINT fk_call_shop_id_technician_id_person FOREIGN KEY (shop_id, technician_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.call
    ADD CONSTRAINT fk_call_shop_id_unit_id_unit FOREIGN KEY (shop_id, unit_id) REFERENCES public.unit(shop_id, id);

ALTER TABLE ONLY public.event
    ADD CONSTRAINT fk_event_shop_id_call_id_call FOREIGN KEY (shop_id, call_id) REFERENCES public.call(shop_id, id);

ALTER TABLE ONLY public.event
    ADD CONSTRAINT fk_event_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.event
    ADD CONSTRAINT fk_event_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.feed_key
    ADD CONSTRAINT fk_feed_key_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.feed_key
    ADD CONSTRAINT fk_feed_key_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.follow_up
    ADD CONSTRAINT fk_follow_up_shop_id_call_id_call FOREIGN KEY (shop_id, call_id) REFERENCES public.call(shop_id, id);

ALTER TABLE ONLY public.follow_up
    ADD CONSTRAINT fk_follow_up_shop_id_done_by_id_person FOREIGN KEY (shop_id, done_by_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.follow_up
    ADD CONSTRAINT fk_follow_up_shop_id_made_by_id_person FOREIGN KEY (shop_id, made_by_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.follow_up
    ADD CONSTRAINT fk_follow_up_shop_id_place_id_place FOREIGN KEY (shop_id, place_id) REFERENCES public.place(shop_id, id);

ALTER TABLE ONLY public.follow_up
    ADD CONSTRAINT fk_follow_up_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.follow_up
    ADD CONSTRAINT fk_follow_up_shop_id_unit_id_unit FOREIGN KEY (shop_id, unit_id) REFERENCES public.unit(shop_id, id);

ALTER TABLE ONLY public.forgotten
    ADD CONSTRAINT fk_forgotten_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.import_batch
    ADD CONSTRAINT fk_import_batch_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.kit
    ADD CONSTRAINT fk_kit_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.learner
    ADD CONSTRAINT fk_learner_shop_id_class_id_practice_class FOREIGN KEY (shop_id, class_id) REFERENCES public.practice_class(shop_id, id);

ALTER TABLE ONLY public.learner
    ADD CONSTRAINT fk_learner_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.learner
    ADD CONSTRAINT fk_learner_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.log_samples
    ADD CONSTRAINT fk_log_samples_shop_id_id_event FOREIGN KEY (shop_id, id) REFERENCES public.event(shop_id, id);

ALTER TABLE ONLY public.log_samples
    ADD CONSTRAINT fk_log_samples_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.meter
    ADD CONSTRAINT fk_meter_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.one_time_link
    ADD CONSTRAINT fk_one_time_link_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.one_time_link
    ADD CONSTRAINT fk_one_time_link_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.part_order
    ADD CONSTRAINT fk_part_order_shop_id_call_id_call FOREIGN KEY (shop_id, call_id) REFERENCES public.call(shop_id, id);

ALTER TABLE ONLY public.part_order
    ADD CONSTRAINT fk_part_order_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.part_order
    ADD CONSTRAINT fk_part_order_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.part
    ADD CONSTRAINT fk_part_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.passkey
    ADD CONSTRAINT fk_passkey_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.passkey
    ADD CONSTRAINT fk_passkey_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.person
    ADD CONSTRAINT fk_person_shop_id_import_id_import_batch FOREIGN KEY (shop_id, import_id) REFERENCES public.import_batch(shop_id, id);

ALTER TABLE ONLY public.person
    ADD CONSTRAINT fk_person_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.phone
    ADD CONSTRAINT fk_phone_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.phone
    ADD CONSTRAINT fk_phone_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.photo
    ADD CONSTRAINT fk_photo_shop_id_id_event FOREIGN KEY (shop_id, id) REFERENCES public.event(shop_id, id);

ALTER TABLE ONLY public.photo
    ADD CONSTRAINT fk_photo_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.place_change
    ADD CONSTRAINT fk_place_change_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.place_change
    ADD CONSTRAINT fk_place_change_shop_id_place_id_place FOREIGN KEY (shop_id, place_id) REFERENCES public.place(shop_id, id);

ALTER TABLE ONLY public.place_change
    ADD CONSTRAINT fk_place_change_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.place
    ADD CONSTRAINT fk_place_shop_id_import_id_import_batch FOREIGN KEY (shop_id, import_id) REFERENCES public.import_batch(shop_id, id);

ALTER TABLE ONLY public.place
    ADD CONSTRAINT fk_place_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.practice_answer
    ADD CONSTRAINT fk_practice_answer_shop_id_learner_id_learner FOREIGN KEY (shop_id, learner_id) REFERENCES public.learner(shop_id, id);

ALTER TABLE ONLY public.practice_case
    ADD CONSTRAINT fk_practice_case_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.practice_class
    ADD CONSTRAINT fk_practice_class_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.practice_run
    ADD CONSTRAINT fk_practice_run_shop_id_learner_id_learner FOREIGN KEY (shop_id, learner_id) REFERENCES public.learner(shop_id, id);

ALTER TABLE ONLY public.practice_run
    ADD CONSTRAINT fk_practice_run_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.practice_step
    ADD CONSTRAINT fk_practice_step_shop_id_run_id_practice_run FOREIGN KEY (shop_id, run_id) REFERENCES public.practice_run(shop_id, id);

ALTER TABLE ONLY public.round
    ADD CONSTRAINT fk_round_shop_id_import_id_import_batch FOREIGN KEY (shop_id, import_id) REFERENCES public.import_batch(shop_id, id);

ALTER TABLE ONLY public.round
    ADD CONSTRAINT fk_round_shop_id_made_by_id_person FOREIGN KEY (shop_id, made_by_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.round
    ADD CONSTRAINT fk_round_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.search_line
    ADD CONSTRAINT fk_search_line_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.set_aside
    ADD CONSTRAINT fk_set_aside_shop_id_call_id_call FOREIGN KEY (shop_id, call_id) REFERENCES public.call(shop_id, id);

ALTER TABLE ONLY public.set_aside
    ADD CONSTRAINT fk_set_aside_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.set_aside
    ADD CONSTRAINT fk_set_aside_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.share_link
    ADD CONSTRAINT fk_share_link_shop_id_call_id_call FOREIGN KEY (shop_id, call_id) REFERENCES public.call(shop_id, id);

ALTER TABLE ONLY public.share_link
    ADD CONSTRAINT fk_share_link_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.share_link
    ADD CONSTRAINT fk_share_link_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.share_open
    ADD CONSTRAINT fk_share_open_shop_id_link_id_share_link FOREIGN KEY (shop_id, link_id) REFERENCES public.share_link(shop_id, id);

ALTER TABLE ONLY public.shop_limit
    ADD CONSTRAINT fk_shop_limit_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.shop_limit
    ADD CONSTRAINT fk_shop_limit_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.sign_in
    ADD CONSTRAINT fk_sign_in_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.sign_in
    ADD CONSTRAINT fk_sign_in_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);

ALTER TABLE ONLY public.stock
    ADD CONSTRAINT fk_stock_shop_id_part_id_part FOREIGN KEY (shop_id, part_id) REFERENCES public.part(shop_id, id) ON DELETE CASCADE;

ALTER TABLE ONLY public.stock
    ADD CONSTRAINT fk_stock_shop_id_person_id_person FOREIGN KEY (shop_id, person_id) REFERENCES public.person(shop_id, id);

ALTER TABLE ONLY public.unit
    ADD CONSTRAINT fk_unit_shop_id_import_id_import_batch FOREIGN KEY (shop_id, import_id) REFERENCES public.import_batch(shop_id, id);

ALTER TABLE ONLY public.unit
    ADD CONSTRAINT fk_unit_shop_id_place_id_place FOREIGN KEY (shop_id, place_id) REFERENCES public.place(shop_id, id);

ALTER TABLE ONLY public.unit
    ADD CONSTRAINT fk_unit_shop_id_shop FOREIGN KEY (shop_id) REFERENCES public.shop(id);


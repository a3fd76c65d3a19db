//! The tables, as the migrations make them.

diesel::table! {
    files (hash) {
        hash -> Text,
        name -> Text,
        bytes -> Binary,
        added_at -> Text,
    }
}
diesel::table! {
    jobs (id) {
        id -> Integer,
        name -> Text,
        person -> Text,
        due -> Nullable<Text>,
        head -> Nullable<Integer>,
        baseline -> Nullable<Integer>,
        created_at -> Text,
        archived -> Bool,
        customer -> Text,
        quantity -> Integer,
    }
}
diesel::table! {
    notes (id) {
        id -> Integer,
        text -> Text,
        person -> Text,
        at -> Text,
        done_by -> Text,
        done_at -> Nullable<Text>,
    }
}
diesel::table! {
    revisions (id) {
        id -> Integer,
        job_id -> Integer,
        parent -> Nullable<Integer>,
        label -> Text,
        decisions -> Text,
        ledger -> Nullable<Text>,
        created_at -> Text,
        in_force -> Integer,
        person -> Text,
    }
}
diesel::table! {
    searches (job_id) {
        job_id -> Integer,
        revision -> Integer,
        started_at -> Text,
        batch -> Integer,
        best -> Nullable<Text>,
    }
}
diesel::table! {
    runs (id) {
        id -> Integer,
        job_id -> Integer,
        revision -> Integer,
        sheet -> Integer,
        machine -> Text,
        file_name -> Text,
        program -> Text,
        state -> Text,
        detail -> Text,
        seconds -> Double,
        total -> Double,
        created_at -> Text,
        ended_at -> Nullable<Text>,
        sum -> Text,
        line -> Integer,
        cuts -> Integer,
        cuts_done -> Integer,
        heard_at -> Nullable<Text>,
        racked -> Bool,
        x -> Double,
        y -> Double,
        goes_on -> Nullable<Integer>,
        alarm -> Text,
        place -> Integer,
        pose -> Text,
        made -> Integer,
        release_id -> Nullable<Integer>,
        answer -> Text,
        person -> Text,
        stock_id -> Nullable<Integer>,
    }
}
diesel::table! {
    run_work (run_id) {
        run_id -> Integer,
        body -> Binary,
    }
}
diesel::table! {
    facts (name) {
        name -> Text,
        value -> Text,
    }
}
diesel::table! {
    programs (sum) {
        sum -> Text,
        text -> Text,
    }
}
diesel::table! {
    releases (id) {
        id -> Integer,
        job_id -> Integer,
        revision -> Integer,
        person -> Text,
        created_at -> Text,
        ledger -> Text,
    }
}
diesel::table! {
    release_batches (release_id, batch) {
        release_id -> Integer,
        batch -> Integer,
        body -> Binary,
    }
}
diesel::table! {
    release_sheets (release_id, sheet) {
        release_id -> Integer,
        sheet -> Integer,
        batch -> Integer,
        place -> Integer,
        machine -> Text,
        file_name -> Text,
        sum -> Text,
        pieces -> Integer,
        seconds -> Double,
        stock_id -> Nullable<Integer>,
        pieces_of_stock -> Integer,
        lay -> Text,
        miniature -> Text,
    }
}
diesel::table! {
    release_papers (release_id, name) {
        release_id -> Integer,
        name -> Text,
        bytes -> Binary,
    }
}
diesel::table! {
    run_ticks (run_id, item) {
        run_id -> Integer,
        item -> Text,
        person -> Text,
        at -> Text,
    }
}
diesel::table! {
    cards (job_id) {
        job_id -> Integer,
        revision -> Integer,
        body -> Text,
        miniature -> Text,
    }
}
diesel::table! {
    job_files (job_id, hash) {
        job_id -> Integer,
        hash -> Text,
    }
}
diesel::table! {
    settings (kind, key) {
        kind -> Text,
        key -> Text,
        position -> Integer,
        body -> Text,
        revision -> Integer,
    }
}
diesel::table! {
    setting_changes (id) {
        id -> Integer,
        kind -> Text,
        key -> Text,
        before -> Nullable<Text>,
        after -> Nullable<Text>,
        person -> Text,
        reason -> Text,
        at -> Text,
    }
}
diesel::table! {
    stock (id) {
        id -> Integer,
        material -> Text,
        thickness -> Double,
        sheet -> Text,
        offcut -> Bool,
        count -> Integer,
        price -> Nullable<Double>,
        place -> Text,
        origin -> Text,
        created_at -> Text,
    }
}
diesel::table! {
    stock_events (id) {
        id -> Integer,
        stock_id -> Integer,
        at -> Text,
        person -> Text,
        words -> Text,
        run_id -> Nullable<Integer>,
        job_id -> Nullable<Integer>,
    }
}
diesel::table! {
    reservations (stock_id, job_id) {
        stock_id -> Integer,
        job_id -> Integer,
        count -> Integer,
    }
}
diesel::table! {
    made (run_id, job_id, part) {
        run_id -> Integer,
        job_id -> Integer,
        part -> Text,
        count -> Integer,
        host_id -> Integer,
    }
}
diesel::table! {
    faces (name) {
        name -> Text,
        bytes -> Binary,
        person -> Text,
        at -> Text,
    }
}
diesel::joinable!(reservations -> jobs (job_id));
diesel::joinable!(runs -> jobs (job_id));
diesel::allow_tables_to_appear_in_same_query!(
    files,
    jobs,
    revisions,
    searches,
    runs,
    run_ticks,
    cards,
    job_files,
    settings,
    setting_changes,
    stock,
    stock_events,
    reservations,
    made,
    run_work,
    programs,
    releases,
    release_batches,
    release_sheets,
    release_papers
);

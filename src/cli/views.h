/* SPDX-License-Identifier: Apache-2.0 */
/* How everything looks; each part is in the file of its name. Views are told what to show, and decide
 * nothing. */
#ifndef OLV_CLI_VIEWS_H
#define OLV_CLI_VIEWS_H

#include "cli/patterns.h"
#include "cli/table.h"
#include "cli/template.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/archive.h"
#include "olvido/arguments.h"
#include "olvido/demo.h"
#include "olvido/depot_care.h"
#include "olvido/docket.h"
#include "olvido/explain.h"
#include "olvido/items.h"
#include "olvido/json.h"
#include "olvido/ledger.h"
#include "olvido/member.h"
#include "olvido/plan.h"
#include "olvido/run.h"
#include "olvido/session.h"
#include "olvido/survey.h"

/* ---- facts.c: one thing, a line for each fact ---- */

/* What the facts are about. */
void facts_title(const struct cli *cli, const char *name);
/* A command to paste, as it is: its words are term_word's. */
void facts_command(const struct cli *cli, const char *label, const char *command);
/* One line: a label, then words; escapes names. */
void facts_line(const struct cli *cli, const char *label, enum term_style style, const char *format, ...);

/* ---- archive_view.c: what `contents` and `extract` have in common ---- */

/* Opens the archive of the command's first argument; the others are the filter, which points into `patterns`
 * (the caller frees them in any case). NULL after reporting why. */
struct olv_archive *archive_view_open(struct cli *cli, struct patterns *patterns,
                                      struct olv_member_filter *filter);
/* "tar, packed by zstd", "zip", "packed by gzip". */
void archive_view_describe(const struct olv_archive *archive, struct olv_text *out);
/* Says that no member fits. */
void archive_view_nothing(struct cli *cli);
/* What `extract` extracted; `is_whole`: it reached the end. */
void archive_view_extracted(struct cli *cli, const struct olv_extract_options *options,
                            const struct olv_extract_result *result, bool is_whole);

/* ---- items_view.c: what `recover` and `trash` have in common ---- */

/* The patterns of the arguments, --run, --since and --until. */
struct items_request {
    struct olv_item_query query;
    struct patterns patterns;
    char *into; /* owned */
};

/* False after reporting and marking what is wrong. Free it in any case. */
bool items_read_request(struct cli *cli, enum patterns_of of, struct items_request *out);
void items_free_request(struct items_request *request);
/* Opens the catalogue of depots; NULL if there is none yet. False after reporting what is wrong with it. */
bool items_open_catalogue(struct cli *cli, struct olv_catalogue **out);

/* One object in JSON. */
void items_print_json(const struct olv_found_item *found, bool with_target);

/* ---- found_view.c: what can be recovered ---- */

struct found_view {
    struct cli *cli;
    bool shows_versions;
    bool lists;
    bool asks;       /* what to do if an item's place is taken */
    bool is_stopped; /* answered `stop`: nothing more */
    struct table *table;
    uint64_t found, bytes, older_versions;
    uint64_t files, directories; /* of the trash */
};

/* For olv_items_find, with a struct found_view. */
void found_view_each(void *self, const struct olv_found_item *found);
/* For struct olv_approval, with a struct found_view: whether an item may go back, and how. */
bool found_view_approve(void *self, struct olv_docket_entry *entry);
/* Reports and marks that nothing fits, or that there is no such run. */
void found_view_nothing(struct found_view *view);
/* Lists everything the query finds. */
bool found_view_list(struct found_view *view, const struct olv_session *session,
                     struct olv_item_query *query);
/* With --run alone: what takes back acts of the run that put nothing away. `docket` may be NULL. */
bool found_view_take_back(struct found_view *view, const struct olv_session *session,
                          struct olv_spool *docket, struct olv_error *err);

/* ---- trash_view.c: what lies in the trashes, oldest first ---- */

/* Whether everything found may be removed for good; asks if needed, and marks a refusal. */
struct found_sum {
    uint64_t items, files, bytes, directories;
};
bool trash_view_is_allowed(struct cli *cli, const struct found_sum *sum);
void trash_view_show(struct cli *cli, struct olv_trashes *trashes, struct olv_item_query *query);

/* ---- depot_view.c: archives in depots, and what verifying or rebuilding found ---- */

struct depot_view {
    struct cli *cli;
    const char *depot;   /* NULL: all */
    struct table *table; /* NULL with --json */
    uint64_t archives, members, bytes, length;
    uint64_t faults;
    uint64_t unfinished; /* archives that are not live */
};

/* List the archives; those that are not live. False after reporting why. */
bool depot_view_show(struct depot_view *view, struct olv_catalogue *catalogue);
bool depot_view_list_unfinished(struct depot_view *view, struct olv_catalogue *catalogue,
                                struct olv_error *err);
/* For olv_depot_verify, with a struct depot_view. */
void depot_view_fault(void *self, const struct olv_depot_fault *fault);
void depot_view_verified(struct depot_view *view, const struct olv_depot_report *report);
void depot_view_rebuilt(struct depot_view *view, const struct olv_depot_report *report);

/* ---- docket_view.c: a docket as a list ---- */

/* Which entries of the docket to list. */
struct docket_filter {
    bool by_rule;
    uint32_t rule;
    enum {
        DOCKET_ALL,
        DOCKET_TOLD,    /* `tell` */
        DOCKET_TOUCHED, /* whatever changes anything: */
        DOCKET_KEPT,    /* what can be taken back */
        DOCKET_ENDED    /* what ends for good */
    } which;
    uint64_t most;       /* rows; 0: all. A last line counts the rest. */
    bool has_total;      /* at the end, for people */
    const char *heading; /* before the first row; NULL: none */
};
/* Oldest first. */
bool docket_print(struct cli *cli, struct olv_spool *docket, struct docket_filter filter,
                  struct olv_error *err);

/* ---- policy_view.c: what is wrong with a policy, or with a statement ---- */

/* Each with its place in the text: `path`, or another name for it. */
void policy_print_diagnostics(const struct cli *cli, const char *path, const struct olv_diagnostics *list);
/* All findings, or that the policy is valid; marks errors. `policy`: NULL if there are any. */
void policy_print_findings(struct cli *cli, const char *path, const struct olv_policy *policy,
                           const struct olv_diagnostics *list);

/* ---- plan_view.c: a plan ---- */

/* For people or programs, as requested; for the selected rules, or all (NULL). */
void plan_show(struct cli *cli, const struct olv_policy *policy, const struct olv_plan *plan,
               const bool *selected);
/* What the plan only tells of; for people. */
void plan_print_told(struct cli *cli, const struct olv_plan *plan);
/* Reports and marks what a plan could not see. */
void plan_print_gaps(struct cli *cli, const struct olv_policy *policy, const struct olv_plan *plan);

/* ---- outcome_view.c: what became of each file, as it happens: of a few, or with --verbose of all ---- */

struct outcome_view {
    struct cli *cli;
    struct table *table; /* NULL: none */
};

/* Listens to the command's observer until the end. */
void outcome_view_begin(struct outcome_view *view, struct cli *cli, uint64_t files);
void outcome_view_end(struct outcome_view *view);
void outcome_view_print_json(const struct olv_result_facts *facts);

/* ---- removal_view.c: what became of what was named to be removed ---- */

enum { REMOVAL_SHOWN = 20 };

struct removal_view {
    struct cli *cli;
    const char *past; /* "discarded" */
    bool is_json;
    struct table *table; /* NULL: none */
    struct removal_sum {
        const char *typed;
        char *path; /* owned */
        uint64_t files, directories, bytes;
    } sums[REMOVAL_SHOWN]; /* of each argument */
    size_t sum_count;
};

/* Listens to the command's observer until the end. `entries`: how many will be told of. */
void removal_view_begin(struct removal_view *view, struct cli *cli, const char *past, uint64_t entries,
                        const char *const *typed, size_t count);
void removal_view_end(struct removal_view *view);

/* ---- protection_view.c: what is protected at and below these paths, by whom and since when ---- */

void protection_show(struct cli *cli, const char *const *paths, size_t count);

/* ---- run_view.c: the closing line of all that acts ---- */

/* Act by act; `can_recover`: `recover` finds what was discarded or archived. Marks the result's status. */
void run_print_result(struct cli *cli, const struct olv_run *run, const struct olv_run_result *result,
                      bool can_recover);
/* Whether `recover --run` takes back what this act did. */
bool run_can_be_taken_back(const struct olv_act *act);
/* Reports an earlier run that was cut short, if any. */
void run_print_settled(struct cli *cli, const struct olv_run *run);

/* ---- explain_view.c: an explanation ---- */

struct explain_view {
    const struct cli *cli;
    const struct olv_policy *policy;
    struct olv_instant now, as_of;
};

/* A file that exists or lies in a depot: what it is, whose, and what becomes of it. */
void explain_print(const struct explain_view *view, const struct olv_explanation *explanation);
/* The same, added to an object. */
void explain_add_json(const struct explain_view *view, const struct olv_explanation *explanation,
                      json_t *json);

/* ---- history_view.c: where a path that is gone went, by the ledger, the trashes and the depots ---- */

/* Prints it, or adds it to `json`. `is_known`: the ledger, a trash or a depot knows the path. */
bool history_show(struct cli *cli, const struct olv_session *session, const char *path, json_t *json,
                  bool *is_known, struct olv_error *err);

/* ---- member_view.c: a member of an archive ---- */

/* Mode, owner, size, time and path. */
void member_view_row(struct table *table, const struct olv_member *member);
void member_view_json(const struct olv_member *member);

/* ---- ledger_view.c: lines of the ledger, and what verifying it found ---- */

struct ledger_view {
    struct cli *cli;
    struct table *table; /* NULL with --json */
    uint64_t shown, limit;
};

void ledger_view_begin(struct ledger_view *view);
/* Ends it, or reports that nothing was found, of this run or any (NULL), or why. */
void ledger_view_end(struct ledger_view *view, const char *run, const struct olv_error *err);
/* For olv_ledger_search, with a struct ledger_view. */
bool ledger_view_record(void *self, const struct olv_ledger_record *record);
void ledger_view_report(const struct cli *cli, const struct olv_ledger_report *report);

/* ---- demo_view.c: where to begin, and what a policy says about samples that were made for it ---- */

/* What to try with the observatory in this place. */
void demo_print_tour(const struct cli *cli, const char *place);
/* Judges every sample by the copy of the policy and shows the verdicts, with the unexpected ones marked. */
bool samples_report(struct cli *cli, const struct olv_policy *policy, const struct olv_samples *samples,
                    const struct olv_plan_options *options);

/* ---- survey_view.c: a survey: a picture of age, a list, or JSON ---- */

struct survey_view {
    struct olv_instant now;
    enum olv_clock clock;
    uint64_t limit;          /* of the list; 0: none */
    struct template *format; /* of the list; NULL: a table */
};

/* Shows it as requested, or why it failed (`err`); reports and marks what is missing. */
void survey_show(struct cli *cli, struct olv_survey *survey, const struct survey_view *view,
                 struct olv_error *err);

#endif

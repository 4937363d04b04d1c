/* SPDX-License-Identifier: Apache-2.0 */
/* The policy file: YAML 1.2, read once, with every error found and located. docs/policy.md is its reference.
 */
#ifndef OLVIDO_POLICY_H
#define OLVIDO_POLICY_H

#include "olvido/act.h"
#include "olvido/calendar.h"
#include "olvido/codec.h"
#include "olvido/error.h"
#include "olvido/text.h"
#include "olvido/zone.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct olv_depot {
    const char *name, *path; /* the path without links, if it exists */
    const char *written;     /* the path as written in the policy */
    enum olv_codec codec;    /* of its archives, unless a step says otherwise */
    int line;
};

struct olv_step {
    struct olv_duration after;
    const char *after_text; /* as written */
    const struct olv_act *act;
    bool may_run_unattended;
    const void *arguments; /* how it is done: the act's struct; see olvido/arguments.h */
    uint8_t digest[32];    /* SHA-256 of that, as far as a person says it; for OLV_AGAIN_IF_OTHERWISE */
    int line, number;      /* line in the file, from 1; number among the rule's steps */
};

/* What a rule counts a file's age from. These numbers are stored in catalogues. */
enum olv_clock {
    OLV_CLOCK_MODIFIED = 0,
    OLV_CLOCK_ACCESSED = 1,
    OLV_CLOCK_CHANGED = 2,
    OLV_CLOCK_BORN = 3,
    OLV_CLOCK_NAME = 4,
    OLV_CLOCK_COUNT
};
/* "modified", "accessed", "changed", "born", "name". */
const char *olv_clock_word(enum olv_clock clock);

enum { OLV_SETTLE_S = 600, OLV_NOTICE_S = 7 * 86400 }; /* defaults */

struct olv_rule {
    const char *name, *note; /* note may be NULL */
    const char *const *under;
    size_t under_count;
    const char *where;           /* as written; NULL: every file */
    struct olv_expr *where_expr; /* NULL: every file */
    enum olv_clock clock;
    const char *name_date;      /* the pattern, if the clock is OLV_CLOCK_NAME */
    enum olv_period until;      /* counting starts at the end of this */
    struct olv_duration settle; /* files modified more recently are spared */
    struct olv_duration notice; /* from a change of the rule to its first irreversible unattended act */
    bool open_too;              /* also acts on files that are open for writing */
    bool has_directories;       /* its `where` can match directories */
    struct olv_step *steps;     /* in the order of `after` */
    size_t step_count;
    int line;
    uint8_t digest[32]; /* SHA-256 of everything that decides what it does; a different one means the rule
                           changed */
};

/* Per run, over acts that take a file from its place. */
struct olv_limits {
    bool has_files, has_bytes, has_share;
    uint64_t files, bytes;
    uint32_t share_millionths; /* of the files a rule owns, for rules that own at least 20 */
    int line;                  /* 0: the policy has no limits */
};

enum { OLV_SHARE_FROM_FILES = 20 };

/* Owns everything in it; read-only. */
struct olv_policy {
    const char *path;
    const char *title, *author, *note; /* may be NULL */
    const char *zone_name;             /* as written; NULL: UTC */
    struct olv_zone *zone;             /* NULL: UTC */
    struct olv_depot *depots;
    size_t depot_count;
    struct olv_rule *rules;
    size_t rule_count;
    struct olv_limits limits;
    bool has_trash_keep;
    struct olv_duration trash_keep; /* discarded files are deleted from the trash after this */
    const char *trash_keep_text;
    bool trash_unattended; /* also unattended */
    uint8_t digest[32];    /* SHA-256 of the file's bytes */
    struct olv_policy_memory *memory;
};

struct olv_diagnostic {
    bool is_warning;      /* valid, but probably unintended */
    int line, column;     /* from 1; columns count characters */
    int width;            /* how many characters the caret underlines, at least 1 */
    const char *message;  /* what is wrong */
    const char *expected; /* what would fit; may be NULL */
    const char *nearest;  /* the known word that was probably meant; may be NULL */
    const char *excerpt;  /* the line, without its end; NULL if there is none */
};

struct olv_diagnostics {
    struct olv_diagnostic *items; /* in file order */
    size_t count;                 /* errors and warnings */
    size_t errors;                /* how many of them are errors */
    struct olv_diagnostics_memory *memory;
};

/* Reads and checks the file. NULL with OLV_POLICY if it has errors, which `diagnostics` lists (with any
 * warnings); NULL with another code if it cannot be read. Free both with the functions below in any case. */
struct olv_policy *olv_policy_load(const char *path, struct olv_diagnostics *diagnostics,
                                   struct olv_error *err);
/* The same for an open file; `path` is its name in messages. */
struct olv_policy *olv_policy_load_from(int fd, const char *path, struct olv_diagnostics *diagnostics,
                                        struct olv_error *err);
void olv_policy_free(struct olv_policy *policy);
/* NULL: the policy has no such depot. */
const struct olv_depot *olv_depot_named(const struct olv_policy *policy, const char *name);
/* Appends a warning about a line. The message is copied. */
void olv_diagnostics_warn(struct olv_diagnostics *list, int line, const char *message);
void olv_diagnostics_free(struct olv_diagnostics *diagnostics);

#endif

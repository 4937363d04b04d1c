/* SPDX-License-Identifier: Apache-2.0 */
/* What every command gets, and what every command is. To add a command: one file cmd_NAME.c, its line in
 * commands.c, and help/NAME.txt; an option that no command has yet: its line in options.c, too. */
#ifndef OLV_CLI_CLI_H
#define OLV_CLI_CLI_H

#include "olvido/error.h"
#include "olvido/json.h"
#include "olvido/observer.h"
#include "olvido/policy.h"
#include "olvido/text.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>

/* docs/exit-status.md; where several apply the one named first here wins. */
enum cli_status {
    STATUS_BROKEN = 5,
    STATUS_INTERRUPTED = 4,
    STATUS_USAGE = 2,
    STATUS_NOT_BEGUN = 6,
    STATUS_SOME_FAILED = 1,
    STATUS_REFUSED = 3,
    STATUS_DONE = 0
};

enum cli_option {
    OPT_NONE = 0,
    OPT_POLICY,
    OPT_STATE,
    OPT_JSON,
    OPT_QUIET,
    OPT_VERBOSE,
    OPT_COLOUR,
    OPT_HELP,
    OPT_VERSION, /* everywhere */
    OPT_LIST,
    OPT_OLDER_THAN,
    OPT_NEWER_THAN,
    OPT_KIND,
    OPT_AS_OF,
    OPT_RULE,
    OPT_YES,
    OPT_RUN,
    OPT_PREVIEW,
    OPT_INTO,
    OPT_IF_EXISTS,
    OPT_SINCE,
    OPT_UNTIL,
    OPT_COUNT_TYPED,
    OPT_OVER_LIMIT,
    OPT_UNATTENDED,
    OPT_WHERE,
    OPT_SORT,
    OPT_LIMIT,
    OPT_CLOCK,
    OPT_FORMAT,
    OPT_ACT,
    OPT_RESULT,
    OPT_PATH,
    OPT_FOR,
    OPT_AS,
    OPT_LEVEL,
    OPT_KEEP,
    OPT_TO,
    OPT_MAX_SIZE,
    OPT_OWNERS,
    OPT_DEVICES,
    OPT_DEPOT,
    OPT_PACK,
    OPT_VERSIONS,
    OPT_AGAINST,
    OPT_COUNT
};

enum { MOST_VALUES = 16 };

struct cli {
    const struct cli_command *command;
    struct {
        bool given;
        const char *values[MOST_VALUES]; /* of an option that may be repeated; owned */
        size_t count;
    } options[OPT_COUNT];
    int word;               /* which of the command's words it was given */
    const char **arguments; /* behind that word; owned */
    size_t argument_count;
    enum cli_status status;       /* the worst that was met: what the program ends with */
    bool has_colour;              /* on standard output */
    unsigned width;               /* of standard output when it is a terminal, else 0 */
    struct olv_observer observer; /* progress, troubles, Ctrl-C */
    struct cli_watch *watch;      /* behind it; see watch.h */
};

struct cli_command {
    const char *name;
    const char *stage;     /* under which heading the overview lists it */
    const char *words[6];  /* which of these is the first argument: cli->word; none: any */
    const char *arguments; /* the others: "PATH [NAME]"; "PATH…" is one or more, "[PATH…]" any number */
    const char *summary;   /* one line */
    enum cli_option options[12];  /* beside the global ones; ends with OPT_NONE */
    void (*run)(struct cli *cli); /* marks in `status` what went wrong */
};

extern const struct cli_command *const cli_commands[]; /* ends with NULL */
/* NULL after saying that there is none. */
const struct cli_command *cli_find_command(struct cli *cli, const char *name);

/* options.c */
bool cli_parse(struct cli *cli, int argc, const char **argv);
/* What a command takes: "show|clear [PATTERN…]". */
void cli_synopsis(const struct cli_command *command, struct olv_text *out);
void cli_free(struct cli *cli);
bool cli_has(const struct cli *cli, enum cli_option option);
const char *cli_value(const struct cli *cli, enum cli_option option); /* the last one given, or NULL */
/* The line of help for one option; those of all that every command takes. */
void cli_print_option(enum cli_option option);
void cli_print_global_options(void);

/* Whatever is marked, the program ends with the worst of it. */
void cli_mark(struct cli *cli, enum cli_status status);
/* The status that a class of errors stands for; a failure of which nobody said why (OLV_OK) is one. */
enum cli_status cli_status_of(enum olv_code code);
/* Prints the error to standard error. */
void cli_print_error(const struct cli *cli, const struct olv_error *err);
/* Prints it and marks what its class stands for. Always false. */
bool cli_report(struct cli *cli, const struct olv_error *err);
/* The same of one that says that memory ran out. */
bool cli_memory(struct cli *cli);
/* A mistake in the command line: says it, and where help is; names in it come as they are. Always false. */
bool cli_usage(struct cli *cli, const char *format, ...);

/* Prints the object in one line, and releases it. */
void cli_print_json(json_t *json);

/* What several commands need first; each is false (or NULL) after saying and marking what is wrong. */
bool cli_policy_path(struct cli *cli, char *out, size_t size);
struct olv_policy *cli_load_policy(struct cli *cli, const char *path);
/* The one at cli_policy_path. */
struct olv_policy *cli_policy(struct cli *cli);
bool cli_state_path(struct cli *cli, char *out, size_t size);

/* values.c: each is false after saying and marking what is wrong, and leaves `out` as it is where the option
 * was not given. A date or an instant; a date alone begins at midnight in UTC. */
bool cli_instant(struct cli *cli, enum cli_option option, struct olv_instant *out, bool *has);
bool cli_duration(struct cli *cli, enum cli_option option, struct olv_duration *out);
bool cli_size(struct cli *cli, enum cli_option option, uint64_t *out); /* such as 10 MiB */
bool cli_number(struct cli *cli, enum cli_option option, uint64_t *out);
/* Which of `count` words the value is; what is wrong names them. */
bool cli_word(struct cli *cli, enum cli_option option, const char *const *words, size_t count, int *out);
/* The same of each value: "there is no kind" `word`. `chosen` has an answer for each word, or is NULL. */
bool cli_words(struct cli *cli, enum cli_option option, const char *none, const char *const *words,
               size_t count, bool *chosen);
/* Which of `count` words this one is; -1 after saying that there is none. */
int cli_choose(struct cli *cli, const char *none, const char *word, const char *const *words, size_t count);
/* The statement of --where; NULL where there is none. */
bool cli_where(struct cli *cli, struct olv_expr **out);

#endif

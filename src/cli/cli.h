/* SPDX-License-Identifier: Apache-2.0 */
/* What every command gets, and what every command is. To add a command: a file cmd_NAME.c, its line in
 * commands.c, and help/NAME.txt; for a new option also its line in options.c. */
#ifndef OLV_CLI_CLI_H
#define OLV_CLI_CLI_H

#include "olvido/error.h"
#include "olvido/json.h"
#include "olvido/observer.h"
#include "olvido/policy.h"
#include "olvido/settings.h"
#include "olvido/text.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>

/* docs/commands.md; if several apply, the one listed first here wins. */
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
    OPT_VERSION, /* global options up to here */
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
    OPT_EACH,
    OPT_CONTENTS,
    OPT_TREE,
    OPT_MATCHING,
    OPT_NAMES_FROM,
    OPT_UPWARDS,
    OPT_LEVEL_OF_PROTECTION,
    OPT_WITH_PARENTS,
    OPT_OPEN_TOO,
    OPT_ANYWAY,
    OPT_SHOW,
    OPT_COUNT
};

enum { MOST_VALUES = 16 };

struct cli {
    const struct cli_command *command;
    struct {
        bool given;
        const char *values[MOST_VALUES]; /* all values of a repeated option; owned */
        size_t count;
    } options[OPT_COUNT];
    int word;               /* index of the command's word that was given */
    const char **arguments; /* after that word; owned */
    size_t argument_count;
    struct olv_settings settings; /* a person's standing habits */
    int answers;                  /* descriptor that answers are read from; -1: there is none */
    enum cli_status status;       /* the worst so far: the program's exit status */
    bool has_colour;              /* on standard output */
    unsigned width;               /* of standard output if it is a terminal, else 0 */
    struct olv_observer observer; /* progress, troubles, Ctrl-C */
    struct cli_watch *watch;      /* behind it; see watch.h */
};

struct cli_command {
    const char *name;
    const char *stage;    /* its heading in the overview */
    const char *words[6]; /* the first argument is one of these, see cli->word; none: no such word */
    const char
        *arguments; /* the other arguments: "PATH [NAME]"; "PATH…" is one or more, "[PATH…]" any number */
    const char *summary;          /* one line */
    enum cli_option options[16];  /* besides the global ones; ends with OPT_NONE */
    void (*run)(struct cli *cli); /* marks failures in `status` */
};

extern const struct cli_command *const cli_commands[]; /* ends with NULL */
/* NULL after saying that there is none. */
const struct cli_command *cli_find_command(struct cli *cli, const char *name);

/* options.c */
bool cli_parse(struct cli *cli, int argc, const char **argv);
/* Appends what a command takes: "show|clear [PATTERN…]". */
void cli_synopsis(const struct cli_command *command, struct olv_text *out);
void cli_free(struct cli *cli);
/* From then on the command line is that of another command, with this one option of its own and without
 * arguments; global options stay. */
bool cli_go_on_as(struct cli *cli, const struct cli_command *command, enum cli_option option,
                  const char *value);
bool cli_has(const struct cli *cli, enum cli_option option);
const char *cli_value(const struct cli *cli, enum cli_option option); /* the last one given, or NULL */
/* "as" of OPT_AS. */
const char *cli_option_name(enum cli_option option);
/* Print the help line of one option; those of all global options. */
void cli_print_option(enum cli_option option);
void cli_print_global_options(void);

/* The program exits with the worst status marked. */
void cli_mark(struct cli *cli, enum cli_status status);
/* The exit status for a class of errors; a failure without one (OLV_OK) fails, too. */
enum cli_status cli_status_of(enum olv_code code);
/* Prints the error to standard error. */
void cli_print_error(const struct cli *cli, const struct olv_error *err);
/* Prints it and marks its class's status. Always false. */
bool cli_report(struct cli *cli, const struct olv_error *err);
/* The same for running out of memory. */
bool cli_memory(struct cli *cli);
/* Reports a mistake in the command line, and where to find help; escapes names. Always false. */
bool cli_usage(struct cli *cli, const char *format, ...);

/* Prints the object on one line, and releases it. */
void cli_print_json(json_t *json);

/* Shared by several commands; false (or NULL) after reporting and marking what is wrong. */
bool cli_policy_path(struct cli *cli, char *out, size_t size);
struct olv_policy *cli_load_policy(struct cli *cli, const char *path);
/* The one at cli_policy_path. */
struct olv_policy *cli_policy(struct cli *cli);
bool cli_state_path(struct cli *cli, char *out, size_t size);

/* values.c: false after reporting and marking what is wrong; `out` stays unchanged if the option was not
 * given. A date or an instant; a date alone begins at midnight in UTC. */
bool cli_instant(struct cli *cli, enum cli_option option, struct olv_instant *out, bool *has);
bool cli_duration(struct cli *cli, enum cli_option option, struct olv_duration *out);
bool cli_size(struct cli *cli, enum cli_option option, uint64_t *out); /* such as 10 MiB */
bool cli_number(struct cli *cli, enum cli_option option, uint64_t *out);
/* The index of the value among `count` words; the message lists them. */
bool cli_word(struct cli *cli, enum cli_option option, const char *const *words, size_t count, int *out);
/* The same for each value: "there is no kind" `word`. `chosen` (may be NULL) has a flag per word. */
bool cli_words(struct cli *cli, enum cli_option option, const char *none, const char *const *words,
               size_t count, bool *chosen);
/* The index of `word` among `count` words; -1 after saying that there is none. */
int cli_choose(struct cli *cli, const char *none, const char *word, const char *const *words, size_t count);
/* The statement of --where; NULL without one. */
bool cli_where(struct cli *cli, struct olv_expr **out);

#endif

/* SPDX-License-Identifier: Apache-2.0 */
/* All options, once: a command lists the ones it takes. Global options may stand before or after the command.
 */
#include "cli/cli.h"

#include "cli/term.h"
#include "olvido/machine.h"
#include "olvido/nearest.h"

#include <fcntl.h>
#include <popt.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static const struct option {
    const char *name, *argument, *help;
    char letter;
} options[OPT_COUNT] = {
    [OPT_POLICY] = {"policy", "FILE", "the policy to use", 'p'},
    [OPT_STATE] = {"state", "DIR", "the state directory, with the ledger and the lock", 0},
    [OPT_JSON] = {"json", NULL, "for programs: JSON, or JSON Lines for lists", 0},
    [OPT_QUIET] = {"quiet", NULL, "errors and results only", 'q'},
    [OPT_VERBOSE] = {"verbose", NULL, "name every file and place", 'v'},
    [OPT_COLOUR] = {"colour", "WHEN", "always, never, or on a terminal (terminal)", 0},
    [OPT_HELP] = {"help", NULL, "show help", 'h'},
    [OPT_VERSION] = {"version", NULL, "show the version", 0},
    [OPT_LIST] = {"list", NULL, "list the entries, oldest first", 'l'},
    [OPT_OLDER_THAN] = {"older-than", "DURATION", "only what was modified at least that long ago", 0},
    [OPT_NEWER_THAN] = {"newer-than", "DURATION", "only what was modified more recently than that", 0},
    [OPT_KIND] = {"kind", "KIND", "only file, directory, link, socket, pipe or device; may be repeated", 0},
    [OPT_AS_OF] = {"as-of", "DATE",
                   "pretend it is that day (from midnight, 2027-01-31) or instant (RFC 3339)", 0},
    [OPT_RULE] = {"rule", "NAME", "only this rule's steps; may be repeated", 0},
    [OPT_YES] = {"yes", NULL, "answer yes beforehand", 'y'},
    [OPT_RUN] = {"run", "RUN", "only what this run did", 0},
    [OPT_PREVIEW] = {"preview", NULL, "say what would be done and touch nothing", 0},
    [OPT_INTO] = {"into", "DIRECTORY", "put it there instead of its original place", 0},
    [OPT_IF_EXISTS] = {"if-exists", "WHAT",
                       "if the name is taken: refuse, ask, skip, number, set-aside or replace", 0},
    [OPT_SINCE] = {"since", "DATE", "only from this day or instant on", 0},
    [OPT_UNTIL] = {"until", "DATE", "only before this day or instant", 0},
    [OPT_COUNT_TYPED] = {"count", "N", "allow what cannot be taken back, for exactly N", 0},
    [OPT_OVER_LIMIT] = {"over-limit", "RULE", "let this rule exceed the limits; may be repeated", 0},
    [OPT_UNATTENDED] = {"unattended", NULL, "ask nothing, and do only what the policy allows unattended", 0},
    [OPT_WHERE] = {"where", "STATEMENT", "only what this `where` statement matches", 0},
    [OPT_SORT] = {"sort", "ORDER", "list by age, size, path or owner; with a minus, as in -age, in reverse",
                  0},
    [OPT_LIMIT] = {"limit", "N", "list so many at most", 0},
    [OPT_CLOCK] = {"clock", "CLOCK", "count age from modified, accessed, changed or born", 0},
    [OPT_FORMAT] = {"format", "TEMPLATE", "list by a template, such as '{size} {path}\\n'", 0},
    [OPT_ACT] = {"act", "ACT", "only this act; may be repeated", 0},
    [OPT_RESULT] =
        {"result", "RESULT",
         "only done, told, left, refused, failed or unknown; of runs: finished, interrupted, settled", 0},
    [OPT_PATH] = {"path", "PATH", "only what is about this path or anything below it", 0},
    [OPT_FOR] = {"for", "FILE", "make samples for this policy, just before and after each step of each rule",
                 0},
    [OPT_AS] = {"as", "FORMAT", "gzip, bzip2, xz or zstd (the default)", 0},
    [OPT_LEVEL] = {"level", "N", "how hard to compress, in the format's own range", 0},
    [OPT_KEEP] = {"keep", NULL, "leave the originals where they are", 0},
    [OPT_TO] = {"to", "FILE", "write there; - is standard output", 0},
    [OPT_DEPOT] = {"depot", "NAME", "put it into this depot of the policy", 0},
    [OPT_PACK] = {"pack", "KIND", "tar, tar.gz, tar.bz2, tar.xz, tar.zst or zip", 0},
    [OPT_VERSIONS] = {"versions", NULL, "list every version of each path, oldest first, with its dates", 0},
    [OPT_AGAINST] = {"against", "FILE", "compare with this copy of ledger/checkpoint, kept elsewhere", 0},
    [OPT_EACH] = {"each", NULL, "ask about every one", 'e'},
    [OPT_CONTENTS] = {"contents", NULL, "what is in the directories, hidden entries, too, and not themselves",
                      0},
    [OPT_TREE] = {"tree", NULL, "directories with all that is in them", 0},
    [OPT_MATCHING] = {"matching", "PATTERN", "the names that fit (olvido help patterns); may be repeated", 0},
    [OPT_NAMES_FROM] =
        {"names-from", "FILE",
         "also the names in this file, one on a line or ended by a zero byte; - is standard input", 0},
    [OPT_UPWARDS] = {"upwards", NULL, "also the directories above, as far as they are empty then", 0},
    [OPT_LEVEL_OF_PROTECTION] = {"as", "LEVEL", "readonly, append-only or frozen", 0},
    [OPT_WITH_PARENTS] = {"with-parents", NULL, "also the directories above, up to a home or mount point", 0},
    [OPT_OPEN_TOO] = {"open-too", NULL, "append-only also where somebody writes without appending", 0},
    [OPT_ANYWAY] = {"anyway", NULL, "also what Olvido did not set, or does not know of any more", 0},
    [OPT_SHOW] = {"show", NULL, "only show what is protected, how, by whom and since when", 0},
    [OPT_OWNERS] = {"owners", NULL, "restore owners, set-id bits and access control lists, too", 0},
    [OPT_DEVICES] = {"devices", NULL, "make devices, too", 0},
    [OPT_MAX_SIZE] = {"max-size", "SIZE", "the largest size that a file may get", 0},
};

static const enum cli_option global[] = {OPT_POLICY, OPT_STATE, OPT_JSON,    OPT_QUIET, OPT_VERBOSE,
                                         OPT_COLOUR, OPT_HELP,  OPT_VERSION, OPT_NONE};

const char *cli_option_name(enum cli_option id)
{
    return options[id].name;
}

void cli_print_option(enum cli_option id)
{
    const struct option *o = &options[id];
    char name[40];
    snprintf(name, sizeof name, "--%s%s%s", o->name, o->argument ? " " : "", o->argument ? o->argument : "");
    printf("  %-4s%-24s  %s\n", o->letter ? (char[]){'-', o->letter, ',', '\0'} : "", name, o->help);
}

void cli_print_global_options(void)
{
    for (const enum cli_option *id = global; *id != OPT_NONE; id++)
        cli_print_option(*id);
}

static size_t options_add(struct poptOption *table, size_t n, const enum cli_option *ids)
{
    for (; *ids != OPT_NONE; ids++) {
        const struct option *o = &options[*ids];
        table[n++] = (struct poptOption){
            o->name, o->letter, o->argument ? POPT_ARG_STRING : POPT_ARG_NONE, NULL, (int)*ids, NULL, NULL};
    }
    table[n] = (struct poptOption)POPT_TABLEEND;
    return n;
}

static void options_keep(struct cli *cli, enum cli_option id, const char *value)
{
    cli->options[id].given = true;
    if (!value)
        return;
    if (cli->options[id].count == MOST_VALUES)
        free((char *)(uintptr_t)cli->options[id].values[--cli->options[id].count]);
    cli->options[id].values[cli->options[id].count++] = value;
}

static const char *nearest_option(const struct poptOption *table, size_t count, const char *bad)
{
    const char *names[OPT_COUNT];
    while (*bad == '-')
        bad++;
    for (size_t i = 0; i < count; i++)
        names[i] = table[i].longName;
    return olv_nearest(bad, strcspn(bad, "="), names, count);
}

static bool options_complain(struct cli *cli, poptContext context, int code, const struct poptOption *table,
                             size_t count)
{
    const char *bad = poptBadOption(context, POPT_BADOPTION_NOALIAS),
               *nearest = nearest_option(table, count, bad);
    if (code == POPT_ERROR_NOARG)
        return cli_usage(cli, "the option %s needs a value", bad);
    if (code != POPT_ERROR_BADOPT)
        return cli_usage(cli, "the option %s: %s", bad, poptStrerror(code));
    cli_usage(cli, "there is no option %s here%s%s%s", bad, nearest ? "; did you mean --" : "",
              nearest ? nearest : "", nearest ? "?" : "");
    if (faccessat(AT_FDCWD, bad, F_OK, AT_SYMLINK_NOFOLLOW) == 0)
        term_message(cli, STYLE_PLAIN, "  a file has that name; write it ./%s", bad);
    return false;
}

/* Parses one half of the command line; `rest` gets the arguments, which live as long as the context. */
static bool options_parse(struct cli *cli, poptContext *context, int argc, const char **argv,
                          const enum cli_option *more, int flags, const char ***rest)
{
    struct poptOption table[OPT_COUNT + 1];
    size_t count = options_add(table, options_add(table, 0, global), more);
    int code;
    *context = poptGetContext("olvido", argc, argv, table, (unsigned)flags);
    while ((code = poptGetNextOpt(*context)) > 0)
        options_keep(cli, (enum cli_option)code, poptGetOptArg(*context));
    if (code < -1)
        return options_complain(cli, *context, code, table, count);
    *rest = poptGetArgs(*context);
    return true;
}

static bool apply_global(struct cli *cli)
{
    const char *colour = cli_value(cli, OPT_COLOUR), *no_colour = getenv("NO_COLOR");
    bool is_terminal = isatty(STDOUT_FILENO);
    cli->width = is_terminal ? olv_os_terminal_width(STDOUT_FILENO) : 0;
    if (is_terminal && cli->width == 0)
        cli->width = 80;
    cli->has_colour = is_terminal && !(no_colour && *no_colour);
    if (!colour || strcmp(colour, "terminal") == 0)
        return true;
    if (strcmp(colour, "always") != 0 && strcmp(colour, "never") != 0)
        return cli_usage(cli, "--colour is always, never or terminal, not `%s`", colour);
    cli->has_colour = strcmp(colour, "always") == 0;
    return true;
}

void cli_synopsis(const struct cli_command *command, struct olv_text *out)
{
    for (size_t i = 0; command->words[i]; i++)
        olv_text_printf(out, "%s%s", i ? "|" : "", command->words[i]);
    olv_text_printf(out, "%s%s", out->len && *command->arguments ? " " : "", command->arguments);
}

static bool is_too_little(struct cli *cli)
{
    struct olv_text synopsis = {0};
    cli_synopsis(cli->command, &synopsis);
    cli_usage(cli, "`%s` needs %s", cli->command->name, olv_text_string(&synopsis));
    olv_text_free(&synopsis);
    return false;
}

/* Takes the command's own word off the arguments: `depot` can `show`, `verify` and `rebuild`. */
static bool take_word(struct cli *cli, const char ***rest)
{
    const char *const *words = cli->command->words;
    struct olv_text can = {0};
    size_t count = 0;
    while (words[count])
        count++;
    if (count == 0 || cli_has(cli, OPT_HELP))
        return true;
    if (!*rest || !**rest)
        return is_too_little(cli);
    olv_text_printf(&can, "`%s` can", cli->command->name);
    for (size_t i = 0; i < count; i++)
        olv_text_printf(&can, "%s `%s`", i == 0 ? "" : i + 1 < count ? "," : " and", words[i]);
    olv_text_puts(&can, ", not");
    cli->word = cli_choose(cli, olv_text_string(&can), *(*rest)++, words, count);
    olv_text_free(&can);
    return cli->word >= 0;
}

/* As many as the synopsis has before its options. */
static bool check_arguments(struct cli *cli)
{
    const char *at = cli->command->arguments;
    bool is_open = strstr(at, "…");
    size_t least = 0, most = 0;
    if (cli_has(cli, OPT_HELP))
        return true;
    for (; *at && *at != '-'; at += strcspn(at, " "), at += *at == ' ', most++)
        least += *at != '[';
    if (cli->argument_count < least)
        return is_too_little(cli);
    return is_open || cli->argument_count <= most ||
           cli_usage(cli, "`%s` does not know what to do with `%s`", cli->command->name,
                     cli->arguments[most]);
}

/* Copies the arguments, to outlive popt's context. */
static bool copy_words(struct cli *cli, const char **words)
{
    size_t count = 0;
    while (words && words[count])
        count++;
    cli->arguments = calloc(count + 1, sizeof *cli->arguments);
    for (size_t i = 0; cli->arguments && i < count; i++)
        if ((cli->arguments[i] = strdup(words[i])))
            cli->argument_count++;
    return cli->arguments && cli->argument_count == count;
}

bool cli_parse(struct cli *cli, int argc, const char **argv)
{
    static const enum cli_option none = OPT_NONE;
    const char **words = NULL, **rest = NULL;
    poptContext first = NULL, second = NULL;
    int count = 0;
    bool ok = options_parse(cli, &first, argc, argv, &none, POPT_CONTEXT_POSIXMEHARDER, &words) &&
              apply_global(cli);
    if (ok)
        cli->command = cli_find_command(cli, words && *words ? *words : "help");
    ok = ok && cli->command;
    while (words && words[count])
        count++;
    if (ok && count)
        ok = options_parse(cli, &second, count, words, cli->command->options, 0, &rest) && apply_global(cli);
    ok = ok && take_word(cli, &rest);
    if (ok && !copy_words(cli, rest)) {
        cli_mark(cli, STATUS_SOME_FAILED);
        ok = false;
    }
    ok = ok && check_arguments(cli);
    if (second)
        poptFreeContext(second);
    if (first)
        poptFreeContext(first);
    return ok;
}

/* From this one on. */
static void drop_options(struct cli *cli, int id)
{
    for (; id < OPT_COUNT; id++) {
        for (size_t i = 0; i < cli->options[id].count; i++)
            free((char *)(uintptr_t)cli->options[id].values[i]);
        cli->options[id].count = 0;
        cli->options[id].given = false;
    }
}

static void drop_arguments(struct cli *cli)
{
    for (size_t i = 0; i < cli->argument_count; i++)
        free((char *)(uintptr_t)cli->arguments[i]);
    cli->argument_count = 0;
}

bool cli_go_on_as(struct cli *cli, const struct cli_command *command, enum cli_option id, const char *value)
{
    char *copy = strdup(value);
    drop_options(cli, OPT_VERSION + 1);
    drop_arguments(cli);
    cli->command = command;
    if (copy)
        options_keep(cli, id, copy);
    return copy || cli_memory(cli);
}

void cli_free(struct cli *cli)
{
    drop_options(cli, 0);
    drop_arguments(cli);
    free(cli->arguments);
}

bool cli_has(const struct cli *cli, enum cli_option option)
{
    return cli->options[option].given;
}

const char *cli_value(const struct cli *cli, enum cli_option option)
{
    size_t count = cli->options[option].count;
    return count ? cli->options[option].values[count - 1] : NULL;
}

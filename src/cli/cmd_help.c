/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/help.h"
#include "cli/term.h"

#include <string.h>

static void print_overview(const struct cli *cli)
{
    const char *stage = "";
    printf("Olvido keeps what you must keep, lets go of the rest, and proves both.\n\n");
    printf("%sUsage:%s olvido [OPTION…] COMMAND …\n", term_begin(cli, STYLE_HEADING), term_end(cli));
    for (size_t i = 0; cli_commands[i]; i++) {
        const struct cli_command *command = cli_commands[i];
        if (strcmp(stage, command->stage) != 0)
            printf("\n%s%s%s\n", term_begin(cli, STYLE_HEADING), command->stage, term_end(cli));
        stage = command->stage;
        printf("  %-10s %s\n", command->name, command->summary);
    }
    printf("\n%sOptions of every command%s\n", term_begin(cli, STYLE_HEADING), term_end(cli));
    cli_print_global_options();
    printf("\n`olvido help COMMAND` says more, `olvido help patterns` what patterns are. First steps: "
           "`olvido demo DIR`.\n");
}

static void print_command(const struct cli *cli, const struct cli_command *command)
{
    struct olv_text synopsis = {0};
    cli_synopsis(command, &synopsis);
    printf("%sUsage:%s olvido %s%s%s\n\n%s.\n", term_begin(cli, STYLE_HEADING), term_end(cli), command->name,
           synopsis.len ? " " : "", olv_text_string(&synopsis), command->summary);
    olv_text_free(&synopsis);
    for (const struct cli_help_text *help = cli_help_texts; help->command; help++)
        if (strcmp(help->command, command->name) == 0)
            printf("\n%s", help->text);
    if (*command->options != OPT_NONE) {
        printf("\n%sOptions%s\n", term_begin(cli, STYLE_HEADING), term_end(cli));
        for (const enum cli_option *o = command->options; *o != OPT_NONE; o++)
            cli_print_option(*o);
    }
    printf("\n%sOptions of every command%s\n", term_begin(cli, STYLE_HEADING), term_end(cli));
    cli_print_global_options();
}

/* What several commands have in common; false if there is no such topic. */
static bool print_topic(const char *name)
{
    static const char *const topics[] = {"patterns", NULL};
    for (const char *const *topic = topics; *topic; topic++)
        for (const struct cli_help_text *help = cli_help_texts; help->command; help++)
            if (strcmp(name, *topic) == 0 && strcmp(help->command, *topic) == 0) {
                fputs(help->text, stdout);
                return true;
            }
    return false;
}

static void cmd_help_run(struct cli *cli)
{
    const struct cli_command *command = cli->command; /* COMMAND --help */
    if (cli->argument_count && print_topic(cli->arguments[0]))
        return;
    if (cli->argument_count)
        command = cli_find_command(cli, cli->arguments[0]);
    else if (command == &cmd_help)
        print_overview(cli);
    if (command && (cli->argument_count || command != &cmd_help))
        print_command(cli, command);
}

const struct cli_command cmd_help = {
    .name = "help",
    .stage = "Set up",
    .arguments = "[COMMAND|patterns]",
    .summary = "Shows what commands there are, how one is used, or what patterns are",
    .run = cmd_help_run,
};

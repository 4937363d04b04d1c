/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/open_session.h"
#include "cli/views.h"
#include "olvido/machine.h"

/* ---- samples for one's own rules ---- */

static void report(struct cli *cli, const struct olv_samples *samples)
{
    struct olv_policy *copy = cli_load_policy(cli, samples->policy);
    struct olv_session session = {0};
    struct olv_plan_options options;
    if (copy && session_open_judging(cli, copy, &session, &options))
        samples_report(cli, copy, samples, &options);
    olv_session_close(&session);
    olv_policy_free(copy);
}

static void run_for(struct cli *cli, const char *file)
{
    struct olv_samples samples = {0};
    struct olv_plan_request request;
    struct olv_error err = {0};
    struct olv_policy *policy = cli_load_policy(cli, file);
    if (policy && session_read_request(cli, policy, &request)) {
        if (olv_demo_for(cli->arguments[0], policy, request.as_of, &cli->observer, &samples, &err))
            report(cli, &samples);
        else
            cli_report(cli, &err);
    }
    olv_samples_free(&samples);
    olv_policy_free(policy);
}

/* ---- the observatory ---- */

static void run_observatory(struct cli *cli, const char *place)
{
    struct olv_text line = {0};
    struct olv_error err = {0};
    struct olv_demo demo;
    if (!olv_demo_write(place, olv_os_now(), &demo, &err)) {
        cli_report(cli, &err);
        return;
    }
    term_name(&line, place);
    printf("The Faro Norte tide observatory stands in %s: %s of eight years in %s, %s, and a policy.\n",
           olv_text_string(&line), COUNT(demo.files, "file", "files"),
           COUNT(demo.directories, "directory", "directories"), SIZE(demo.bytes));
    olv_text_free(&line);
    if (!cli_has(cli, OPT_QUIET))
        demo_print_tour(cli, place);
}

static void cmd_demo_run(struct cli *cli)
{
    if (cli_has(cli, OPT_FOR))
        run_for(cli, cli_value(cli, OPT_FOR));
    else if (cli_has(cli, OPT_AS_OF))
        cli_usage(cli, "--as-of goes with --for");
    else
        run_observatory(cli, cli->arguments[0]);
}

const struct cli_command cmd_demo = {
    .name = "demo",
    .stage = "Set up",
    .arguments = "DIR",
    .summary = "Writes made-up sample files and a policy to try things on",
    .options = {OPT_FOR, OPT_AS_OF},
    .run = cmd_demo_run,
};

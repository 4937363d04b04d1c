/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/shrink_to.h"

#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/quantity.h"

#include <string.h>
#include <unistd.h>

static void shrink_to_print_people(const struct cli *cli, const struct olv_shrink_request *r,
                                   const struct olv_shrink_result *result)
{
    struct olv_text path = {0}, to = {0};
    term_name(&path, r->path);
    term_name(&to, r->to);
    printf("%sDone:%s %s (%s) %s to %s (%s", term_begin(cli, STYLE_GOOD), term_end(cli),
           olv_text_string(&path), SIZE(result->before), r->unpacks ? "decompressed" : "compressed",
           olv_text_string(&to), SIZE(result->after));
    if (result->before && !r->unpacks)
        printf(", %.1f %%", 100.0 * (double)result->after / (double)result->before);
    printf("). The original stays.\n");
    olv_text_free(&path);
    olv_text_free(&to);
}

static void shrink_to_print_json(const struct olv_shrink_request *r, const struct olv_shrink_result *result)
{
    json_t *json = json_object();
    olv_json_name(json, "path", r->path);
    olv_json_name(json, "into", r->to);
    olv_json_string(json, "format", olv_codec_word(result->codec));
    olv_json_number(json, "size", result->before);
    olv_json_number(json, "stored", result->after);
    cli_print_json(json);
}

static bool check_request(struct cli *cli, const struct olv_shrink_request *r)
{
    if (cli->argument_count != 1)
        return cli_usage(cli, "--to is about one file");
    if (!r->to && !r->unpacks && isatty(STDOUT_FILENO))
        return cli_usage(cli,
                         "compressed bytes are never written to a terminal; redirect them, or --to FILE");
    return true;
}

void shrink_to(struct cli *cli, const struct olv_arguments *how, struct olv_shrink_request r)
{
    struct olv_shrink_result result;
    struct olv_error err = {0};
    const char *to = cli_value(cli, OPT_TO);
    r.codec = (enum olv_codec)olv_argument_number(how->act, how->values, "as");
    r.level = (int)olv_argument_number(how->act, how->values, "level");
    r.most_bytes = olv_argument_number(how->act, how->values, "max-size");
    r.path = cli->arguments[0];
    r.to = strcmp(to, "-") == 0 ? NULL : to;
    r.out = STDOUT_FILENO;
    if (!check_request(cli, &r))
        return;
    if (!olv_shrink_to(&r, &cli->observer, &result, &err))
        cli_report(cli, &err);
    watch_clear(cli);
    if (err.code == OLV_OK && r.to && cli_has(cli, OPT_JSON))
        shrink_to_print_json(&r, &result);
    else if (err.code == OLV_OK && r.to && !cli_has(cli, OPT_QUIET))
        shrink_to_print_people(cli, &r, &result);
}

/* SPDX-License-Identifier: Apache-2.0 */
#include "policy/step_keys.h"

#include "olvido/nearest.h"
#include "olvido/text.h"
#include "policy/sections.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* ---- formats ---- */

static void read_format(struct reader *r, struct fy_node *node, void *target)
{
    static const char *const words[] = {"gzip", "bzip2", "xz", "zstd"};
    int word = policy_word(r, node, "format", words, 4, "gzip, bzip2, xz or zstd");
    if (word >= 0)
        ((struct olv_step *)target)->codec = olv_codec_of_word(words[word], strlen(words[word]));
}

static void complete_format(struct reader *r, struct fy_node *given, struct olv_step *step)
{
    (void)r;
    (void)given;
    if (step->codec == OLV_CODEC_COUNT)
        step->codec = OLV_CODEC_ZSTD;
}

static void spell_format(const struct olv_step *step, struct olv_text *out)
{
    olv_text_puts(out, olv_codec_word(step->codec));
}

const struct step_value step_format = {
    .read = read_format,
    .complete = complete_format,
    .spell = spell_format,
    .said_as = " as ",
    .schema = "\"enum\": [\"gzip\", \"bzip2\", \"xz\", \"zstd\"], \"default\": \"zstd\""};

static void read_step_pack(struct reader *r, struct fy_node *node, void *target)
{
    enum olv_codec codec = read_pack(r, node);
    if (codec != OLV_CODEC_COUNT)
        ((struct olv_step *)target)->codec = codec;
}

/* As its depot has it. */
static void complete_pack(struct reader *r, struct fy_node *given, struct olv_step *step)
{
    if (step->codec == OLV_CODEC_COUNT && step->depot)
        step->codec = step->depot->codec;
    complete_format(r, given, step);
}

const struct step_value step_pack = {
    .read = read_step_pack,
    .complete = complete_pack,
    .spell = spell_format,
    .schema = "\"enum\": [\"tar\", \"tar.gz\", \"tar.bz2\", \"tar.xz\", \"tar.zst\", \"zip\"]"};

/* Whether the format has that level is known when all of the step was read. */
static void read_level(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_step *step = target;
    size_t len = 0;
    const char *text = policy_scalar(node, &len);
    char *end = NULL;
    long level = text && len > 0 && len < 8 && text[0] >= '0' && text[0] <= '9' ? strtol(text, &end, 10) : -1;
    if (level < 0 || end != text + len)
        policy_complain(r, node_position(node), "a whole number, such as 3", NULL, "this is not a level");
    else
        step->level = (int)level;
}

static void complete_level(struct reader *r, struct fy_node *given, struct olv_step *step)
{
    struct olv_levels levels = olv_codec_levels(step->codec);
    char range[48];
    if (step->level == NO_LEVEL) {
        step->level = levels.usual;
    } else if (step->codec == OLV_CODEC_NONE) {
        policy_complain(r, node_position(given), NULL, NULL, "without compression there is no level");
    } else if (step->level < levels.least || step->level > levels.most) {
        snprintf(range, sizeof range, "%d to %d", levels.least, levels.most);
        policy_complain(r, node_position(given), range, NULL, "%s has no level %d",
                        olv_codec_word(step->codec), step->level);
    }
}

static void spell_level(const struct olv_step *step, struct olv_text *out)
{
    olv_text_printf(out, "%d", step->level);
}

const struct step_value step_level = {.read = read_level,
                                      .complete = complete_level,
                                      .spell = spell_level,
                                      .schema = "\"type\": \"integer\", \"minimum\": 0, \"maximum\": 22"};

/* ---- where to ---- */

static void read_depot(struct reader *r, struct fy_node *node, void *target)
{
    const struct olv_policy *policy = r->policy;
    struct olv_step *step = target;
    const char *name = policy_string(r, node, "`depot`"), *names[MOST_DEPOTS] = {NULL};
    for (size_t i = 0; name && i < policy->depot_count; i++) {
        names[i] = policy->depots[i].name ? policy->depots[i].name : "";
        if (strcmp(names[i], name) == 0)
            step->depot = &policy->depots[i];
    }
    if (name && !step->depot)
        policy_complain(r, node_position(node), "a name from `depots`",
                        olv_nearest(name, strlen(name), names, policy->depot_count),
                        "the policy has no depot `%s`", name);
}

static void spell_depot(const struct olv_step *step, struct olv_text *out)
{
    olv_text_puts(out, step->depot && step->depot->name ? step->depot->name : "");
}

const struct step_value step_depot = {
    .read = read_depot, .spell = spell_depot, .said_as = " in ", .schema = "\"type\": \"string\""};

static const char *const one_per_words[OLV_PER_COUNT] = {"run", "day", "month", "year", "directory"};

static void read_one_per(struct reader *r, struct fy_node *node, void *target)
{
    int word =
        policy_word(r, node, "period", one_per_words, OLV_PER_COUNT, "run, day, month, year or directory");
    if (word >= 0)
        ((struct olv_step *)target)->one_per = (enum olv_one_per)word;
}

static void spell_one_per(const struct olv_step *step, struct olv_text *out)
{
    olv_text_puts(out, one_per_words[step->one_per]);
}

const struct step_value step_one_per = {
    .read = read_one_per,
    .spell = spell_one_per,
    .schema = "\"enum\": [\"run\", \"day\", \"month\", \"year\", \"directory\"], \"default\": \"run\""};

/* ---- a string ---- */

static void read_text(struct reader *r, struct fy_node *node, void *target)
{
    ((struct olv_step *)target)->text = policy_string(r, node, "the value");
}

static void spell_text(const struct olv_step *step, struct olv_text *out)
{
    olv_text_puts(out, step->text ? step->text : "");
}

const struct step_value step_text = {
    .read = read_text, .spell = spell_text, .said_as = " ", .schema = "\"type\": \"string\""};

/* ---- for others ---- */

void olv_step_describe(const struct olv_step *step, struct olv_text *out)
{
    for (const struct step_key *key = step->act->keys; key && key->name; key++)
        if (key->value->said_as) {
            olv_text_puts(out, key->value->said_as);
            key->value->spell(step, out);
        }
}

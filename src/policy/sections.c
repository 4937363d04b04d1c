/* SPDX-License-Identifier: Apache-2.0 */
/* The parts of a policy other than rules: time zone, depots, limits, trash. */
#include "policy/sections.h"

#include "olvido/quantity.h"

#include <string.h>

void read_zone(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_policy *policy = target;
    policy->zone_name = policy_string(r, node, "`time-zone`");
    if (!policy->zone_name || olv_zone_is_utc(policy->zone_name))
        return;
    policy->zone = olv_zone_load(policy->zone_name);
    if (!policy->zone)
        policy_complain(r, node_position(node), "UTC, or a name such as Atlantic/Azores", NULL,
                        "this machine knows no time zone `%s`", policy->zone_name);
}

/* ---- depots ---- */

static void read_depot_path(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_depot *depot = target;
    depot->path = policy_string(r, node, "`path`");
    if (depot->path && depot->path[0] != '/')
        policy_complain(r, node_position(node), "an absolute path, beginning with /", NULL,
                        "`%s` is not an absolute path", depot->path);
}

static void read_depot_pack(struct reader *r, struct fy_node *node, void *target)
{
    static const struct olv_key pack = {.name = "pack", .type = OLV_KEY_WORD, .words = olv_pack_words};
    struct key_fault fault = {0};
    size_t len = 0;
    const char *text = policy_scalar(node, &len);
    int codec;
    if (key_read(&pack, text ? text : "", len, &codec, r->arena, &fault))
        ((struct olv_depot *)target)->codec = (enum olv_codec)codec;
    else
        policy_complain_of(r, node, NULL, &fault);
}

static const struct key depot_keys[] = {{.name = "path", .read = read_depot_path, .is_required = true},
                                        {.name = "pack", .read = read_depot_pack}};

/* It becomes part of docket texts. */
static bool is_depot_name(const char *name)
{
    static const char letters[] = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_.";
    size_t len = strlen(name);
    return len > 0 && len <= 64 && strspn(name, letters) == len;
}

void read_depots(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_policy *policy = target;
    struct fy_node_pair *pair;
    void *iterator = NULL;
    int count = node && fy_node_is_mapping(node) ? fy_node_mapping_item_count(node) : 0;
    if (count <= 0 || count > MOST_DEPOTS) {
        policy_complain(r, node_position(node), "cold-room: { path: /srv/depot }", NULL,
                        "`depots` must be a mapping with 1 to %d names", MOST_DEPOTS);
        return;
    }
    policy->depots = olv_arena_alloc(r->arena, (size_t)count * sizeof *policy->depots);
    r->out_of_memory |= !policy->depots;
    while (policy->depots && (pair = fy_node_mapping_iterate(node, &iterator))) {
        struct olv_depot *depot = &policy->depots[policy->depot_count++];
        depot->codec = OLV_CODEC_ZSTD;
        depot->line = policy_line(r, node_position(fy_node_pair_key(pair)));
        depot->name = policy_string(r, fy_node_pair_key(pair), "the name of a depot");
        if (depot->name && !is_depot_name(depot->name))
            policy_complain(r, node_position(fy_node_pair_key(pair)), "up to 64 letters, digits and - _ .",
                            NULL, "`%s` is not a name for a depot", depot->name);
        policy_mapping(r, fy_node_pair_value(pair), "a depot", depot_keys, 2, depot);
    }
}

/* ---- limits ---- */

static void read_files(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_limits *limits = target;
    size_t len = 0;
    const char *text = policy_scalar(node, &len);
    limits->has_files = text && len > 0 && len < 19;
    for (size_t i = 0; limits->has_files && i < len; i++) {
        limits->has_files = text[i] >= '0' && text[i] <= '9';
        limits->files = limits->files * 10 + (uint64_t)(text[i] - '0');
    }
    if (!limits->has_files)
        policy_complain(r, node_position(node), "a whole number, such as 100000", NULL,
                        "`files` is not a number of files");
}

static void read_bytes(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_limits *limits = target;
    size_t len = 0, at;
    const char *text = policy_scalar(node, &len);
    limits->has_bytes = text && olv_size_parse(text, len, &limits->bytes, &at);
    if (!limits->has_bytes)
        policy_complain(r, node_position(node), "a size, such as 512, 10 MiB or 500 GiB", NULL,
                        "`bytes` is not a size");
}

/* "40%", "2.5 %": at most four decimals, at most 100 %. */
static bool parse_share(const char *text, size_t len, uint32_t *out)
{
    uint64_t value = 0, scale = 10000;
    size_t i = 0;
    for (; i < len && text[i] >= '0' && text[i] <= '9' && value <= 100; i++)
        value = value * 10 + (uint64_t)(text[i] - '0');
    if (i == 0)
        return false;
    value *= scale;
    if (i + 1 < len && text[i] == '.')
        for (i++; i < len && text[i] >= '0' && text[i] <= '9' && scale > 1; i++)
            value += (uint64_t)(text[i] - '0') * (scale /= 10);
    while (i < len && text[i] == ' ')
        i++;
    *out = (uint32_t)value;
    return i + 1 == len && text[i] == '%' && value <= 1000000;
}

static void read_share(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_limits *limits = target;
    size_t len = 0;
    const char *text = policy_scalar(node, &len);
    limits->has_share = text && parse_share(text, len, &limits->share_millionths);
    if (!limits->has_share)
        policy_complain(r, node_position(node), "a percentage, such as 40%", NULL,
                        "`share` is not a part of the files that a rule owns");
}

static const struct key limit_keys[] = {{.name = "files", .read = read_files},
                                        {.name = "bytes", .read = read_bytes},
                                        {.name = "share", .read = read_share}};

void read_limits(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_limits *limits = &((struct olv_policy *)target)->limits;
    limits->line = policy_line(r, node_position(node));
    policy_mapping(r, node, "`limits`", limit_keys, 3, limits);
    if (node && fy_node_is_mapping(node) && fy_node_mapping_item_count(node) == 0)
        policy_complain(r, node_position(node), "files, bytes, share", NULL, "`limits` is empty");
}

/* ---- trash ---- */

static void read_trash_keep(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_policy *policy = target;
    policy->has_trash_keep = policy_duration(r, node, &policy->trash_keep);
    if (policy->has_trash_keep)
        policy->trash_keep_text = policy_string(r, node, "`keep`");
}

static const struct key trash_keys[] = {
    {.name = "keep", .read = read_trash_keep, .is_required = true},
    {.name = "unattended", .type = KEY_TRUTH, .at = offsetof(struct olv_policy, trash_unattended)}};

void read_trash(struct reader *r, struct fy_node *node, void *target)
{
    policy_mapping(r, node, "`trash`", trash_keys, 2, target);
}

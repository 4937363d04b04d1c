/* SPDX-License-Identifier: Apache-2.0 */
/* Since when each rule has been as it is: rules.json in the state directory. A rule is known by its name and
 * the digest of what it does; one that is in no policy any more is forgotten after a while. */
#include "state/rules.h"

#include "base/digest.h"
#include "olvido/json.h"
#include "os/durable.h"

#include <errno.h>
#include <string.h>

static const char NAME[] = "rules.json";
enum { LARGEST = 16 << 20, FORGOTTEN_AFTER_S = 90 * 86400 };

static bool read_instant(const json_t *object, const char *key, struct olv_instant *out)
{
    const char *text = json_string_value(json_object_get(object, key));
    size_t at;
    return text && olv_instant_parse(text, strlen(text), out, &at);
}

static json_t *read_register(int state, struct olv_error *err)
{
    struct olv_text text = {0};
    json_t *rules = NULL, *file = NULL;
    if (olv_read_file(state, NAME, LARGEST, &text, err)) {
        file = json_loadb(olv_text_string(&text), text.len, 0, NULL);
        rules = json_incref(json_object_get(file, "rules"));
        if (!json_is_array(rules)) { /* as if every rule were new: that only makes them wait */
            json_decref(rules);
            rules = json_array();
        }
        json_decref(file);
    } else if (err->sys == ENOENT) {
        rules = json_array();
    }
    olv_text_free(&text);
    if (rules)
        olv_error_clear(err);
    return rules;
}

static json_t *find(const json_t *rules, const char *name, const char *digest)
{
    for (size_t i = 0; i < json_array_size(rules); i++) {
        json_t *rule = json_array_get(rules, i);
        const char *its_name = json_string_value(json_object_get(rule, "name"));
        const char *its_digest = json_string_value(json_object_get(rule, "digest"));
        if (its_name && its_digest && strcmp(its_name, name) == 0 && strcmp(its_digest, digest) == 0)
            return rule;
    }
    return NULL;
}

/* Since when there is this rule; from now on if it was not known, or its time lies in the future. */
static struct olv_instant look_up(json_t *rules, const char *name, const uint8_t bytes[OLV_SHA256_SIZE],
                                  struct olv_instant now)
{
    char digest[OLV_HEX_SIZE];
    struct olv_instant since = now;
    json_t *rule;
    olv_hex(bytes, OLV_SHA256_SIZE, digest);
    rule = find(rules, name, digest);
    if (!rule || !read_instant(rule, "since", &since) || olv_instant_compare(since, now) > 0) {
        if (!rule && (rule = json_object()))
            json_array_append_new(rules, rule);
        since = now;
        olv_json_string(rule, "name", name);
        olv_json_string(rule, "digest", digest);
        olv_json_instant(rule, "since", now);
    }
    olv_json_instant(rule, "seen", now);
    return since;
}

static void forget(json_t *rules, struct olv_instant now)
{
    for (size_t i = json_array_size(rules); i-- > 0;) {
        struct olv_instant seen;
        if (!read_instant(json_array_get(rules, i), "seen", &seen) || seen.s < now.s - FORGOTTEN_AFTER_S)
            json_array_remove(rules, i);
    }
}

static void digest_trash(const struct olv_policy *policy, uint8_t out[OLV_SHA256_SIZE])
{
    struct olv_hasher *hasher = olv_hasher_new();
    const char *text = policy->trash_keep_text ? policy->trash_keep_text : "";
    memset(out, 0, OLV_SHA256_SIZE);
    if (hasher)
        olv_sha256(hasher, text, strlen(text), out);
    olv_hasher_free(hasher);
}

bool register_rules(int state, const struct olv_policy *policy, struct olv_instant now, bool *in_notice,
                    struct olv_error *err)
{
    json_t *rules = read_register(state, err), *file;
    struct olv_text text = {0};
    uint8_t digest[OLV_SHA256_SIZE];
    struct olv_instant since;
    bool ok;
    if (!rules)
        return false;
    for (size_t i = 0; i <= policy->rule_count; i++) {
        bool is_trash = i == policy->rule_count;
        const struct olv_rule *rule = &policy->rules[is_trash ? 0 : i];
        struct olv_duration notice = {.seconds = OLV_NOTICE_S};
        struct olv_instant until;
        if (!is_trash)
            notice = rule->notice;
        if (is_trash)
            digest_trash(policy, digest);
        since = look_up(rules, is_trash ? "" : rule->name, is_trash ? digest : rule->digest, now);
        in_notice[i] =
            !olv_zone_add(policy->zone, since, notice, &until) || olv_instant_compare(now, until) < 0;
    }
    forget(rules, now);
    file = json_object();
    json_object_set_new(file, "rules", rules);
    olv_json_line(file, &text);
    json_decref(file);
    ok = text.failed ? olv_fail_memory(err) : olv_publish(state, NAME, text.data, text.len, err);
    olv_text_free(&text);
    return ok;
}

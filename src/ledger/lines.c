/* SPDX-License-Identifier: Apache-2.0 */
/* The lines of the ledger: members in a fixed order. Names of people and files go into `open`, the last
 * member; the head commits to them by `sealed`, their digest, so that they can be taken out later without
 * breaking a proof. */
#include "ledger/append.h"

#include "base/accounts.h"
#include "olvido/json.h"
#include "os/os.h"

#include <unistd.h>

/* The members that every line begins with. */
static json_t *new_head(const struct olv_ledger *l, const char *kind)
{
    json_t *head = json_object();
    olv_json_number(head, "line", l->tree.size);
    olv_json_instant(head, "time", olv_os_now());
    olv_json_string(head, "kind", kind);
    return head;
}

static void add_salt(struct olv_ledger *l, json_t *open)
{
    char hex[2 * SALT_SIZE + 1];
    if (l->salts_left == 0) {
        l->pending.failed |= !olv_random(l->salts, sizeof l->salts);
        l->salts_left = SALTS;
    }
    olv_hex(l->salts[--l->salts_left], SALT_SIZE, hex);
    olv_json_string(open, "salt", hex);
}

static void seal(struct olv_ledger *l, json_t *head, json_t *open)
{
    uint8_t digest[OLV_SHA256_SIZE];
    char hex[OLV_HEX_SIZE];
    add_salt(l, open);
    olv_text_clear(&l->open);
    olv_json_line(open, &l->open);
    olv_sha256(l->hasher, olv_text_string(&l->open), l->open.len, digest);
    olv_hex(digest, sizeof digest, hex);
    olv_json_string(head, "sealed", hex);
    json_decref(open);
}

/* Finishes the line: it joins the tree and the pending lines. `open` may be NULL. Takes both references. */
static void add_line(struct olv_ledger *l, json_t *head, json_t *open)
{
    uint8_t leaf[OLV_SHA256_SIZE];
    if (open)
        seal(l, head, open);
    olv_text_clear(&l->head);
    olv_json_line(head, &l->head);
    tree_leaf_hash(l->hasher, olv_text_string(&l->head), l->head.len, leaf);
    tree_add(&l->tree, leaf);
    if (l->head.len)
        olv_text_add(&l->pending, l->head.data, l->head.len - (open ? 1 : 0));
    if (open) {
        olv_text_puts(&l->pending, ",\"open\":");
        olv_text_add(&l->pending, olv_text_string(&l->open), l->open.len);
        olv_text_puts(&l->pending, "}");
    }
    olv_text_puts(&l->pending, "\n");
    json_decref(head);
}

static void add_digest(json_t *object, const char *key, const uint8_t digest[OLV_SHA256_SIZE])
{
    char hex[OLV_HEX_SIZE];
    olv_hex(digest, OLV_SHA256_SIZE, hex);
    olv_json_string(object, key, hex);
}

void olv_ledger_begin_run(struct olv_ledger *l, const struct olv_run_facts *f)
{
    json_t *head = new_head(l, "begin"), *open = json_object();
    char user[64], host[256];
    olv_user_name((uint32_t)getuid(), user, sizeof user);
    olv_os_host_name(host, sizeof host);
    olv_json_string(head, "run", f->run);
    olv_json_string(head, "command", f->command);
    olv_json_string(head, "version", OLVIDO_VERSION);
    if (f->policy_digest)
        add_digest(head, "policy", f->policy_digest);
    olv_json_string(open, "user", user);
    olv_json_number(open, "uid", (uint64_t)getuid());
    olv_json_string(open, "host", host);
    if (f->policy_path)
        olv_json_name(open, "policy_path", f->policy_path);
    add_line(l, head, open);
}

void olv_ledger_intent(struct olv_ledger *l, const char *run, uint64_t batch, const uint8_t segment[32],
                       uint64_t decisions)
{
    json_t *head = new_head(l, "intent");
    olv_json_string(head, "run", run);
    olv_json_number(head, "batch", batch);
    olv_json_number(head, "decisions", decisions);
    add_digest(head, "segment", segment);
    add_line(l, head, NULL);
}

void olv_ledger_outcome(struct olv_ledger *l, const struct olv_outcome_facts *f)
{
    json_t *head = new_head(l, "outcome"), *open = json_object();
    olv_json_string(head, "run", f->run);
    olv_json_number(head, "batch", f->batch);
    olv_json_number(head, "entry", f->entry->number);
    if (f->entry->rule != OLV_BY_HAND) {
        olv_json_string(head, "rule", f->entry->rule_name);
        olv_json_number(head, "step", f->entry->step);
        olv_json_instant(head, "due", f->entry->due);
    }
    olv_json_string(head, "act", olv_act_word(f->entry->act));
    olv_json_string(head, "result", f->result);
    if (*f->reason)
        olv_json_string(head, "reason", f->reason);
    if (f->is_settled)
        json_object_set_new(head, "settled", json_true());
    olv_json_number(head, "size", f->entry->identity.size_bytes);
    olv_json_instant(head, "modified", f->entry->identity.modified);
    olv_json_name(open, "path", f->path);
    if (*f->trash)
        olv_json_name(open, "trash", f->trash);
    add_line(l, head, open);
}

void olv_ledger_end_run(struct olv_ledger *l, const struct olv_end_facts *f)
{
    json_t *head = new_head(l, "end");
    olv_json_string(head, "run", f->run);
    olv_json_string(head, "result", f->result);
    olv_json_number(head, "done", f->done);
    olv_json_number(head, "left", f->left);
    olv_json_number(head, "failed", f->failed);
    add_line(l, head, NULL);
}

void ledger_repair(struct olv_ledger *l, const char *tail, size_t len)
{
    json_t *head = new_head(l, "repair");
    uint8_t digest[OLV_SHA256_SIZE];
    olv_sha256(l->hasher, tail, len, digest);
    olv_json_number(head, "cut_bytes", len);
    add_digest(head, "cut", digest);
    add_line(l, head, NULL);
}

/* SPDX-License-Identifier: Apache-2.0 */
/* The lines of the ledger: members in fixed order. Names of people and files go into `open`, the last member;
 * the head commits to it by `sealed`, its digest, so that names can be removed later without breaking a
 * proof. Lines are composed one after the other, and digested a few dozen at a time (base/many.h): first
 * their `open` objects, then the lines with those digests. */
#include "ledger/append.h"

#include "olvido/accounts.h"
#include "olvido/json.h"
#include "os/os.h"

#include <string.h>
#include <unistd.h>

/* The first members of every line, after the byte that a leaf is hashed with (RFC 9162, section 2.1.1). */
static struct olv_text *new_head(struct olv_ledger *l, const char *kind)
{
    static const uint8_t prefix = 0;
    l->lines[l->line_count] = (struct composed){.head_at = l->head.len, .open_at = l->open.len};
    olv_text_add(&l->head, &prefix, 1);
    olv_text_puts(&l->head, "{");
    olv_json_put_number(&l->head, "line", l->tree.size + l->line_count);
    olv_json_put_instant(&l->head, "time", olv_os_now());
    olv_json_put_plain(&l->head, "kind", kind);
    return &l->head;
}

static struct olv_text *new_open(struct olv_ledger *l)
{
    olv_text_puts(&l->open, "{");
    return &l->open;
}

static void put_digest(struct olv_text *out, const char *key, const uint8_t digest[OLV_SHA256_SIZE])
{
    char hex[OLV_HEX_SIZE];
    olv_hex(digest, OLV_SHA256_SIZE, hex);
    olv_json_put_plain(out, key, hex);
}

static void add_salt(struct olv_ledger *l)
{
    char hex[2 * SALT_SIZE + 1];
    if (l->salts_left == 0) {
        l->pending.failed |= !olv_random(l->salts, sizeof l->salts);
        l->salts_left = SALTS;
    }
    olv_hex(l->salts[--l->salts_left], SALT_SIZE, hex);
    olv_json_put_plain(&l->open, "salt", hex);
}

/* Closes `open` with its salt, and leaves room in the head for its digest. */
static void lines_seal(struct olv_ledger *l, struct composed *line)
{
    static const char digits[OLV_HEX_SIZE] =
        "0000000000000000000000000000000000000000000000000000000000000000";
    add_salt(l);
    olv_text_puts(&l->open, "}");
    line->open_len = l->open.len - line->open_at;
    olv_json_put_plain(&l->head, "sealed", digits);
    line->sealed_at = l->head.len - OLV_HEX_SIZE; /* before the quote */
}

/* Finishes the line. */
static void add_line(struct olv_ledger *l, bool has_open)
{
    struct composed *line = &l->lines[l->line_count++];
    if (has_open)
        lines_seal(l, line);
    olv_text_puts(&l->head, "}");
    line->head_len = l->head.len - line->head_at;
    if (l->line_count == LINES_TOGETHER)
        ledger_take_lines(l);
}

static void digest_opens(struct olv_ledger *l)
{
    struct many_piece pieces[LINES_TOGETHER];
    uint8_t digests[LINES_TOGETHER][OLV_SHA256_SIZE] = {{0}};
    size_t count = 0;
    char hex[OLV_HEX_SIZE];
    for (size_t i = 0; i < l->line_count; i++)
        if (l->lines[i].open_len) {
            pieces[count] =
                (struct many_piece){l->open.data + l->lines[i].open_at, l->lines[i].open_len, digests[count]};
            count++;
        }
    many_sha256(l->many, pieces, count);
    count = 0;
    for (size_t i = 0; i < l->line_count; i++)
        if (l->lines[i].open_len) {
            olv_hex(digests[count++], OLV_SHA256_SIZE, hex);
            memcpy(l->head.data + l->lines[i].sealed_at, hex, OLV_HEX_SIZE - 1);
        }
}

/* The leaf is the head alone, closed by a brace. */
static void digest_heads(struct olv_ledger *l)
{
    struct many_piece pieces[LINES_TOGETHER];
    uint8_t leaves[LINES_TOGETHER][OLV_SHA256_SIZE] = {{0}};
    for (size_t i = 0; i < l->line_count; i++)
        pieces[i] = (struct many_piece){l->head.data + l->lines[i].head_at, l->lines[i].head_len, leaves[i]};
    many_sha256(l->many, pieces, l->line_count);
    for (size_t i = 0; i < l->line_count; i++)
        tree_add(&l->tree, leaves[i]);
}

static void put_lines(struct olv_ledger *l)
{
    for (size_t i = 0; i < l->line_count; i++) {
        const struct composed *line = &l->lines[i];
        olv_text_add(&l->pending, l->head.data + line->head_at + 1, line->head_len - 2);
        if (line->open_len) {
            olv_text_puts(&l->pending, ",\"open\":");
            olv_text_add(&l->pending, l->open.data + line->open_at, line->open_len);
        }
        olv_text_puts(&l->pending, "}\n");
    }
}

void ledger_take_lines(struct olv_ledger *l)
{
    l->pending.failed |= l->head.failed || l->open.failed;
    if (l->line_count && !l->pending.failed) {
        digest_opens(l);
        digest_heads(l);
        put_lines(l);
    }
    l->line_count = 0;
    olv_text_clear(&l->head);
    olv_text_clear(&l->open);
}

/* Where a weaker way replaced the system's own. */
static void put_weaker(struct olv_text *head)
{
    const char *weaker = olv_os_weaker();
    if (*weaker)
        olv_json_put_string(head, "weaker", weaker);
}

void olv_ledger_begin_run(struct olv_ledger *l, const struct olv_run_facts *f)
{
    struct olv_text *head = new_head(l, "begin"), *open = new_open(l);
    char user[64], host[256];
    olv_user_name((uint32_t)getuid(), user, sizeof user);
    olv_os_host_name(host, sizeof host);
    olv_json_put_string(head, "run", f->run);
    olv_json_put_string(head, "command", f->command);
    olv_json_put_string(head, "version", OLVIDO_VERSION);
    if (f->policy_digest)
        put_digest(head, "policy", f->policy_digest);
    put_weaker(head);
    olv_json_put_string(open, "user", user);
    olv_json_put_number(open, "uid", (uint64_t)getuid());
    olv_json_put_string(open, "host", host);
    if (f->policy_path)
        olv_json_put_name(open, "policy_path", f->policy_path);
    add_line(l, true);
}

void olv_ledger_intent(struct olv_ledger *l, const struct olv_intent_facts *f)
{
    struct olv_text *head = new_head(l, "intent");
    olv_json_put_string(head, "run", f->run);
    olv_json_put_number(head, "batch", f->batch);
    olv_json_put_number(head, "decisions", f->decisions);
    put_digest(head, "segment", f->segment);
    add_line(l, false);
}

/* Which archive it came from. */
static void put_archive(struct olv_text *open, const struct olv_docket_entry *e)
{
    struct olv_text path = {0};
    olv_docket_entry_path(e, &path);
    open->failed |= path.failed;
    olv_json_put_name(open, "archive", olv_text_string(&path));
    olv_text_free(&path);
}

void olv_ledger_outcome(struct olv_ledger *l, const struct olv_outcome_facts *f)
{
    struct olv_text *head = new_head(l, "outcome"), *open = new_open(l);
    olv_json_put_plain(head, "run", f->run);
    olv_json_put_number(head, "batch", f->batch);
    olv_json_put_number(head, "entry", f->entry->number);
    if (f->entry->rule != OLV_BY_HAND) {
        olv_json_put_string(head, "rule", f->entry->rule_name);
        if (f->entry->rule != OLV_OF_TRASH)
            olv_json_put_number(head, "step", f->entry->step);
        olv_json_put_instant(head, "due", f->entry->due);
    }
    olv_json_put_plain(head, "act", f->entry->act->word);
    olv_json_put_plain(head, "result", f->result);
    if (f->is_settled)
        olv_text_puts(head, ",\"settled\":true");
    olv_json_put_number(head, "size", olv_docket_entry_size(f->entry));
    if (f->entry->identity.kind == OLV_KIND_DIRECTORY) {
        olv_json_put_number(head, "entries", f->entry->contents.entries);
        olv_json_put_number(head, "files", f->entry->contents.files);
    }
    olv_json_put_instant(head, "modified", olv_docket_entry_modified(f->entry));
    if (f->has_packed)
        olv_json_put_number(head, "stored", f->packed_bytes);
    if (f->digest)
        put_digest(head, "digest", f->digest);
    olv_json_put_name(open, "path", f->path);
    if (f->into && *f->into)
        olv_json_put_name(open, "into", f->into);
    if (f->entry->location)
        put_archive(open, f->entry);
    if (*f->trash)
        olv_json_put_name(open, "trash", f->trash);
    if (*f->trash_place)
        olv_json_put_name(open, "trash_place", f->trash_place);
    if (*f->reason) /* it may contain names, so it can be removed together with them */
        olv_json_put_name(open, "reason", f->reason);
    add_line(l, true);
}

void olv_ledger_end_run(struct olv_ledger *l, const struct olv_end_facts *f)
{
    struct olv_text *head = new_head(l, "end");
    olv_json_put_string(head, "run", f->run);
    olv_json_put_string(head, "result", f->result);
    olv_json_put_number(head, "done", f->done);
    olv_json_put_number(head, "left", f->left);
    olv_json_put_number(head, "failed", f->failed);
    if (f->unknown)
        olv_json_put_number(head, "unknown", f->unknown);
    put_weaker(head);
    add_line(l, false);
}

void olv_ledger_archive(struct olv_ledger *l, const struct olv_archive_facts *f)
{
    enum { ID = 16 };
    struct olv_text *head = new_head(l, "archive"), *open = new_open(l);
    char id[2 * ID + 1];
    olv_hex(f->id, ID, id);
    olv_json_put_string(head, "run", f->run);
    olv_json_put_plain(head, "id", id);
    olv_json_put_number(head, "length", f->length);
    olv_json_put_number(head, "members", f->members);
    put_digest(head, "manifest", f->manifest);
    olv_json_put_name(open, "path", f->path);
    add_line(l, true);
}

void olv_ledger_removal(struct olv_ledger *l, const char *run, const char *archive, bool is_by_us)
{
    struct olv_text *head = new_head(l, "removal"), *open = new_open(l);
    olv_json_put_string(head, "run", run);
    olv_json_put_plain(head, "result", is_by_us ? "done" : "unknown");
    olv_json_put_name(open, "path", archive);
    add_line(l, true);
}

void ledger_repair(struct olv_ledger *l, const char *tail, size_t len)
{
    struct olv_text *head = new_head(l, "repair");
    uint8_t digest[OLV_SHA256_SIZE];
    olv_sha256(l->hasher, tail, len, digest);
    olv_json_put_number(head, "cut_bytes", len);
    put_digest(head, "cut", digest);
    add_line(l, false);
}

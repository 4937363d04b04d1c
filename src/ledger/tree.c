/* SPDX-License-Identifier: Apache-2.0 */
/* Every level keeps only its last tile in memory. A tile of n entries stands for perfect subtrees of the
 * sizes of n's binary digits, so the root is folded from all levels, from the smallest subtree to the
 * largest. */
#include "ledger/tree.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

void tree_leaf_hash(struct olv_hasher *hasher, const void *bytes, size_t len, uint8_t out[OLV_SHA256_SIZE])
{
    static const uint8_t prefix = 0;
    olv_hasher_begin(hasher);
    olv_hasher_add(hasher, &prefix, 1);
    olv_hasher_add(hasher, bytes, len);
    olv_hasher_end(hasher, out);
}

/* `out` may be one of the inputs. */
static void node_hash(struct olv_hasher *hasher, const uint8_t *left, const uint8_t *right, uint8_t *out)
{
    uint8_t bytes[1 + 2 * OLV_SHA256_SIZE] = {1};
    memcpy(bytes + 1, left, OLV_SHA256_SIZE);
    memcpy(bytes + 1 + OLV_SHA256_SIZE, right, OLV_SHA256_SIZE);
    olv_sha256(hasher, bytes, sizeof bytes, out);
}

/* Half as many hashes, side by side. */
static void fold(struct many_hasher *many, uint8_t hashes[][OLV_SHA256_SIZE], unsigned count)
{
    struct many_piece pieces[TILE_WIDTH / 2];
    uint8_t nodes[TILE_WIDTH / 2][1 + 2 * OLV_SHA256_SIZE];
    for (unsigned i = 0; i < count / 2; i++) {
        nodes[i][0] = 1;
        memcpy(nodes[i] + 1, hashes[2 * i], 2 * OLV_SHA256_SIZE); /* they are adjacent */
        pieces[i] = (struct many_piece){nodes[i], sizeof nodes[i], hashes[i]};
    }
    many_sha256(many, pieces, count / 2);
}

/* The root of `count` hashes, a power of two. */
static void perfect_root(struct olv_hasher *hasher, struct many_hasher *many,
                         uint8_t hashes[][OLV_SHA256_SIZE], unsigned count, uint8_t *out)
{
    enum { FEW = 8 };
    uint8_t work[TILE_WIDTH][OLV_SHA256_SIZE];
    memcpy(work, hashes, (size_t)count * OLV_SHA256_SIZE);
    for (; many && count > FEW; count /= 2)
        fold(many, work, count);
    for (; count > 1; count /= 2)
        for (unsigned i = 0; i < count / 2; i++)
            node_hash(hasher, work[2 * i], work[2 * i + 1], work[i]);
    memcpy(out, work[0], OLV_SHA256_SIZE);
}

void tree_begin(struct tree *tree, struct olv_hasher *hasher, bool keeps)
{
    memset(tree, 0, sizeof *tree);
    tree->hasher = hasher;
    tree->keeps = keeps;
}

void tree_end(struct tree *tree)
{
    for (unsigned level = 0; level < TREE_LEVELS; level++)
        olv_text_free(&tree->unwritten[level]);
}

static uint64_t entries(uint64_t size, unsigned level)
{
    return size >> (8 * level);
}

/* Adds an entry to this level, and to the levels above what it completes. */
static void add_at(struct tree *tree, unsigned level, const uint8_t entry[OLV_SHA256_SIZE])
{
    uint8_t hash[OLV_SHA256_SIZE];
    memcpy(hash, entry, sizeof hash);
    for (; level < TREE_LEVELS; level++) {
        unsigned at = (unsigned)(entries(tree->size, level) % TILE_WIDTH);
        memcpy(tree->edge[level][at], hash, sizeof hash);
        if (tree->keeps)
            olv_text_add(&tree->unwritten[level], hash, sizeof hash);
        if (at != TILE_WIDTH - 1)
            break;
        perfect_root(tree->hasher, tree->many, tree->edge[level], TILE_WIDTH, hash);
    }
}

void tree_add(struct tree *tree, const uint8_t leaf[OLV_SHA256_SIZE])
{
    add_at(tree, 0, leaf);
    tree->size++;
}

void tree_tile_root(struct olv_hasher *hasher, struct many_hasher *many,
                    const uint8_t (*hashes)[OLV_SHA256_SIZE], uint8_t out[OLV_SHA256_SIZE])
{
    perfect_root(hasher, many, (uint8_t(*)[OLV_SHA256_SIZE])(uintptr_t)hashes, TILE_WIDTH, out);
}

void tree_add_tile(struct tree *tree, const uint8_t root[OLV_SHA256_SIZE])
{
    add_at(tree, 1, root);
    tree->size += TILE_WIDTH;
}

void tree_root(const struct tree *tree, uint8_t out[OLV_SHA256_SIZE])
{
    uint8_t subtree[OLV_SHA256_SIZE];
    bool any = false;
    if (tree->size == 0) {
        olv_sha256(tree->hasher, "", 0, out);
        return;
    }
    for (unsigned level = 0; level < TREE_LEVELS; level++) {
        unsigned count = (unsigned)(entries(tree->size, level) % TILE_WIDTH), at = count;
        for (unsigned width = 1; width < TILE_WIDTH; width *= 2) {
            if (!(count & width))
                continue;
            at -= width;
            perfect_root(tree->hasher, tree->many,
                         (uint8_t(*)[OLV_SHA256_SIZE])(uintptr_t)tree->edge[level][at], width, subtree);
            if (any)
                node_hash(tree->hasher, subtree, out, out);
            else
                memcpy(out, subtree, sizeof subtree);
            any = true;
        }
    }
}

static void level_name(char out[16], unsigned level)
{
    snprintf(out, 16, "hashes-%u", level % 10);
}

static bool load_level(struct tree *tree, int dir, unsigned level, struct olv_error *err)
{
    uint64_t count = entries(tree->size, level), partial = count % TILE_WIDTH;
    size_t want = (size_t)partial * OLV_SHA256_SIZE;
    off_t at = (off_t)((count - partial) * OLV_SHA256_SIZE);
    char name[16];
    ssize_t got;
    int fd;
    tree->written[level] = count;
    if (count == 0)
        return true;
    level_name(name, level);
    fd = openat(dir, name, O_RDONLY | O_NOFOLLOW | O_CLOEXEC);
    if (fd < 0)
        return olv_fail_system(err, name, "cannot open the hashes of the ledger");
    got = pread(fd, tree->edge[level], want, at);
    if (got < 0) {
        olv_fail_system(err, name, "cannot read the hashes of the ledger");
        close(fd);
        return false;
    }
    if (got == (ssize_t)want)
        got = lseek(fd, 0, SEEK_END) >= (off_t)(count * OLV_SHA256_SIZE) ? got : -1;
    close(fd);
    if (got == (ssize_t)want)
        return true;
    olv_fail(err, OLV_BROKEN, "the hashes of the ledger are shorter than its checkpoint says");
    return olv_error_at(err, name);
}

bool tree_load(struct tree *tree, int dir, uint64_t size, struct olv_error *err)
{
    tree->size = size;
    for (unsigned level = 0; level < TREE_LEVELS; level++)
        if (!load_level(tree, dir, level, err))
            return false;
    return true;
}

static bool store_level(struct tree *tree, int dir, unsigned level, struct olv_error *err)
{
    struct olv_text *fresh = &tree->unwritten[level];
    off_t at = (off_t)(tree->written[level] * OLV_SHA256_SIZE);
    char name[16];
    bool ok;
    int fd;
    if (fresh->len == 0)
        return true;
    level_name(name, level);
    fd = openat(dir, name, O_WRONLY | O_CREAT | O_NOFOLLOW | O_CLOEXEC, 0600);
    ok = fd >= 0 && !fresh->failed && ftruncate(fd, at) == 0 &&
         pwrite(fd, fresh->data, fresh->len, at) == (ssize_t)fresh->len && fsync(fd) == 0;
    if (!ok)
        olv_fail_system(err, name, "cannot write the hashes of the ledger");
    if (fd >= 0)
        close(fd);
    if (!ok)
        return false;
    tree->written[level] += fresh->len / OLV_SHA256_SIZE;
    olv_text_clear(fresh);
    return true;
}

bool tree_store(struct tree *tree, int dir, struct olv_error *err)
{
    for (unsigned level = 0; level < TREE_LEVELS; level++)
        if (!store_level(tree, dir, level, err))
            return false;
    return true;
}

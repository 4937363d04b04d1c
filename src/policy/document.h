/* SPDX-License-Identifier: Apache-2.0 */
/* A YAML file with positions: its bytes, its tree, and where in the bytes each node stands. */
#ifndef OLV_POLICY_DOCUMENT_H
#define OLV_POLICY_DOCUMENT_H

#include "policy/diagnostic.h"

#include <libfyaml.h>

struct document {
    struct policy_text source; /* owned */
    struct fy_document *tree;
};

/* Opens a policy, without waiting (a pipe). -1 with `err`. */
int document_open(const char *path, struct olv_error *err);
/* Reads and parses. False with OLV_POLICY after diagnostics, or with another code when the file cannot be
 * read. */
bool document_read(struct document *doc, int fd, const char *path, struct olv_diagnostics *list,
                   struct olv_error *err);
void document_close(struct document *doc);

/* Where the node stands (of a mapping or a list, where its first scalar stands). */
struct position node_position(struct fy_node *node);
/* Where byte `offset` of a scalar's value stands, through its quotes, folds and escapes. */
struct position value_position(const struct document *doc, struct fy_node *scalar, size_t offset, size_t len);

#endif

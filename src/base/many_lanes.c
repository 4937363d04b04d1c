/* SPDX-License-Identifier: Apache-2.0 */
/* Side by side in the lanes of wide registers, by libIPSec_MB, which detects the processor; on an unknown
 * one, one after the other. Jobs come back in the order they were given. */
#include "base/many.h"

#include <intel-ipsec-mb.h>
#include <stdlib.h>

struct many_hasher {
    IMB_MGR *manager;          /* NULL: none for this processor */
    struct olv_hasher *hasher; /* then; and for empty inputs, which the library does not take */
};

struct many_hasher *many_hasher_new(void)
{
    struct many_hasher *m = calloc(1, sizeof *m);
    if (!m)
        return NULL;
    m->hasher = olv_hasher_new();
    m->manager = alloc_mb_mgr(0);
    if (m->manager)
        init_mb_mgr_auto(m->manager, NULL);
    if (m->manager && !m->manager->submit_job_nocheck) {
        free_mb_mgr(m->manager);
        m->manager = NULL;
    }
    if (m->hasher)
        return m;
    many_hasher_free(m);
    return NULL;
}

void many_hasher_free(struct many_hasher *m)
{
    if (!m)
        return;
    if (m->manager)
        free_mb_mgr(m->manager);
    olv_hasher_free(m->hasher);
    free(m);
}

static void submit(IMB_MGR *manager, const struct many_piece *piece)
{
    IMB_JOB *job = IMB_GET_NEXT_JOB(manager);
    *job = (IMB_JOB){.cipher_mode = IMB_CIPHER_NULL,
                     .cipher_direction = IMB_DIR_ENCRYPT,
                     .chain_order = IMB_ORDER_HASH_CIPHER,
                     .hash_alg = IMB_AUTH_SHA_256,
                     .src = piece->bytes,
                     .msg_len_to_hash_in_bytes = piece->len,
                     .auth_tag_output = piece->out,
                     .auth_tag_output_len_in_bytes = OLV_SHA256_SIZE};
    IMB_SUBMIT_JOB_NOCHECK(manager);
    while (IMB_GET_COMPLETED_JOB(manager))
        ;
}

void many_sha256(struct many_hasher *m, const struct many_piece *pieces, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        if (m->manager && pieces[i].len)
            submit(m->manager, &pieces[i]);
        else
            olv_sha256(m->hasher, pieces[i].bytes, pieces[i].len, pieces[i].out);
    }
    while (m->manager && IMB_FLUSH_JOB(m->manager))
        ;
}

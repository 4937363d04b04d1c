/* SPDX-License-Identifier: Apache-2.0 */
/* Absolute paths as strings, without a slash at their end. */
#ifndef OLV_BASE_PATH_H
#define OLV_BASE_PATH_H

/* What `path` has behind `top`: "" or "/...". NULL: it is neither `top` nor below it. */
const char *path_behind(const char *path, const char *top);

#endif

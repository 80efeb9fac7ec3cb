/* A page: a text that grows, at first in a room of its own. */

#ifndef UNTOR_PAGE_H
#define UNTOR_PAGE_H

#include "ascii.h"

/* How long a chunk is, at least. */
#define SHORTEST_CHUNK 16000
#define LEAST_ROOM 24000
#define FIRST_ROOM 2000

typedef struct {
    PyObject *buffer;     /* a str that nobody else has seen; NULL while the page is in its first room */
    void *data;
    Py_ssize_t length, room;
    Py_UCS4 widest;       /* the greatest character that there is room for */
    int kind;
    Py_UCS1 first[FIRST_ROOM];
} Page;

static inline void page_begin(Page *page)
{
    page->buffer = NULL;
    page->data = page->first;
    page->length = 0;
    page->room = FIRST_ROOM;
    page->widest = 127;
    page->kind = PyUnicode_1BYTE_KIND;
}

/* Copy characters into a text that is at least as wide, and return where their end is. */
#define COPY_TO(TYPE)                                                                  \
    do {                                                                               \
        TYPE *target = (TYPE *)to + at;                                                \
        if (from_kind == PyUnicode_1BYTE_KIND)                                         \
            for (Py_ssize_t i = 0; i < length; i++)                                    \
                target[i] = ((const Py_UCS1 *)from)[i];                                \
        else                                                                           \
            for (Py_ssize_t i = 0; i < length; i++)                                    \
                target[i] = (TYPE)((const Py_UCS2 *)from)[i];                          \
    } while (0)

static inline Py_ssize_t copy(const void *from, int from_kind, Py_ssize_t length, int kind, void *to, Py_ssize_t at)
{
    if (from_kind == kind)
        copy_bytes((char *)to + at * kind, from, length * kind);
    else if (kind == PyUnicode_2BYTE_KIND)
        COPY_TO(Py_UCS2);
    else
        COPY_TO(Py_UCS4);
    return at + length;
}

/* Make room for more text, none of whose characters is greater than the widest: 0, or -1 without memory. */
static inline int make_room(Page *page, Py_ssize_t more, Py_UCS4 widest)
{
    if (more <= page->room - page->length && widest <= page->widest)
        return 0;
    if (more > PY_SSIZE_T_MAX - page->length) {
        PyErr_NoMemory();
        return -1;
    }
    Py_ssize_t room = page->room;
    if (more > room - page->length || page->buffer == NULL) {
        Py_ssize_t least = page->length + more;
        room = least <= PY_SSIZE_T_MAX / 3 ? least + least / 2 : least;
        if (room < LEAST_ROOM)
            room = LEAST_ROOM;
    }
    if (page->buffer != NULL && widest <= page->widest) {
        if (PyUnicode_Resize(&page->buffer, room) < 0)
            return -1;
    }
    else {
        PyObject *buffer = PyUnicode_New(room, widest > page->widest ? widest : page->widest);
        if (buffer == NULL)
            return -1;
        copy(page->data, page->kind, page->length, PyUnicode_KIND(buffer), PyUnicode_DATA(buffer), 0);
        Py_XSETREF(page->buffer, buffer);
    }
    page->data = PyUnicode_DATA(page->buffer);
    page->kind = PyUnicode_KIND(page->buffer);
    page->widest = PyUnicode_MAX_CHAR_VALUE(page->buffer);
    page->room = room;
    return 0;
}

/* Append a text: 0, or -1 without memory. */
static inline int page_append(Page *page, PyObject *text)
{
    Py_ssize_t length = PyUnicode_GET_LENGTH(text);
    if (length == 0)
        return 0;
    if (make_room(page, length, PyUnicode_MAX_CHAR_VALUE(text)) < 0)
        return -1;
    copy(PyUnicode_DATA(text), PyUnicode_KIND(text), length, page->kind, page->data, page->length);
    page->length += length;
    return 0;
}

/* Return what was written; the page is empty afterwards. */
static inline PyObject *page_finish(Page *page)
{
    PyObject *text = page->buffer;
    if (text == NULL) {
        text = PyUnicode_New(page->length, 127);
        if (text != NULL && page->length)
            memcpy(PyUnicode_DATA(text), page->first, (size_t)page->length);
    }
    else if (PyUnicode_Resize(&text, page->length) < 0)
        Py_CLEAR(text);
    page_begin(page);
    return text;
}

#endif

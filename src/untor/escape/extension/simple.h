/* Values that are written here as their escaping function in Python would write them, so that it need not be called. */

#ifndef UNTOR_SIMPLE_H
#define UNTOR_SIMPLE_H

#include "writing.h"

/* What is simple, numbered as untor.codegen.steps has it. */
enum { NAME_PART, COMPONENT, WEB_URL };

static inline int is_letter(Py_UCS1 c) { return (c | 0x20) >= 'a' && (c | 0x20) <= 'z'; }

static inline int is_digit(Py_UCS1 c) { return c >= '0' && c <= '9'; }

static inline int is_hexadecimal(Py_UCS1 c) { return is_digit(c) || ((c | 0x20) >= 'a' && (c | 0x20) <= 'f'); }

/* Whether ASCII has nothing but characters that a name of CSS can have after its first (CSS Syntax 3 §4.2). */
static inline int is_name_part(const Py_UCS1 *chars, Py_ssize_t length)
{
    for (Py_ssize_t i = 0; i < length; i++)
        if (!is_letter(chars[i]) && !is_digit(chars[i]) && chars[i] != '-' && chars[i] != '_')
            return 0;
    return 1;
}

/* Whether ASCII is a colour by its digits (CSS Color 4 §5.2), a word of letters, or empty. */
static inline int is_component(const Py_UCS1 *chars, Py_ssize_t length)
{
    if (length && chars[0] == '#') {
        for (Py_ssize_t i = 1; i < length; i++)
            if (!is_hexadecimal(chars[i]))
                return 0;
        return length == 4 || length == 5 || length == 7 || length == 9;
    }
    for (Py_ssize_t i = 0; i < length; i++)
        if (!is_letter(chars[i]))
            return 0;
    return 1;
}

static inline int begins_with(PyObject *text, const char *start)
{
    Py_ssize_t length = (Py_ssize_t)strlen(start);
    if (PyUnicode_GET_LENGTH(text) < length)
        return 0;
    for (Py_ssize_t i = 0; i < length; i++)
        if (PyUnicode_READ_CHAR(text, i) != (Py_UCS4)start[i])
            return 0;
    return 1;
}

/* A URL for an attribute that is relative to the root, or of the web where that is permitted. */
static inline PyObject *web_url(PyObject *value, int is_web)
{
    if (!begins_with(value, "/") && !(is_web && (begins_with(value, "https://") || begins_with(value, "http://"))))
        return NULL;
    Py_ssize_t extra = growth(value, MORE[ATTRIBUTE]);
    return extra > 0 ? escaped(value, MORE[ATTRIBUTE], extra) : extra == 0 ? Py_NewRef(value) : NULL;
}

/* What is written for a value that is as simple: a new reference; NULL without an exception where Python has to say. */
static inline PyObject *simply(PyObject *value, int kind, int is_web)
{
    if (PyLong_CheckExact(value) && kind != WEB_URL) {
        char number[LONGEST_NUMBER];
        int digits = int_digits(value, number);
        return digits ? PyUnicode_FromStringAndSize(number, digits) : NULL;
    }
    if (!is_text(value))
        return NULL;
    if (kind == WEB_URL)
        return web_url(value, is_web);
    if (!PyUnicode_IS_ASCII(value))
        return NULL;
    const Py_UCS1 *chars = PyUnicode_1BYTE_DATA(value);
    Py_ssize_t length = PyUnicode_GET_LENGTH(value);
    int fine = kind == NAME_PART ? is_name_part(chars, length) : kind == COMPONENT && is_component(chars, length);
    return fine ? Py_NewRef(value) : NULL;
}

#endif

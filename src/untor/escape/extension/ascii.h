/* What is most common, in one go: ASCII text and numbers, between texts of ASCII, into a page of one byte a character.

   The digits of numbers and the copying are those of writing.h too, which does everything else. */

#ifndef UNTOR_QUICK_H
#define UNTOR_QUICK_H

#include <float.h>
#include <math.h>

#include "module.h"

#define LONGEST_NUMBER 32

/* What is written at once: texts, and values between them. */
typedef struct {
    State *state;
    PyObject *texts;      /* a tuple of str, one more than there are values */
    PyObject *edges;      /* a tuple: for a value that is a URL together with texts around it, these two */
    PyObject *letters;    /* bytes: how each value is escaped */
    const char *kinds;
    Py_ssize_t length;    /* of all texts */
    Py_UCS4 widest;       /* no character of theirs is greater */
    int count;            /* of values */
} Join;

/* --- numbers ------------------------------------------------------------------------------------------------------- */

/* Write the digits of an exact int, and return how many characters that are; 0 when it is too large for that. */
static inline int int_digits(PyObject *value, char *number)
{
    int overflow;
    long long exact = PyLong_AsLongLongAndOverflow(value, &overflow);
    if (overflow || (exact == -1 && PyErr_Occurred())) {
        PyErr_Clear();
        return 0;
    }
    unsigned long long rest = exact < 0 ? 0ULL - (unsigned long long)exact : (unsigned long long)exact;
    char digits[LONGEST_NUMBER];
    int at = LONGEST_NUMBER;
    do {
        digits[--at] = (char)('0' + rest % 10);
        rest /= 10;
    } while (rest);
    if (exact < 0)
        digits[--at] = '-';
    memcpy(number, digits + at, (size_t)(LONGEST_NUMBER - at));
    return LONGEST_NUMBER - at;
}

/* Write a number of few decimals as repr() does; 0 for any other. Of all numbers with as few digits, only one is read as
   a float: a whole number of at most fifteen digits, divided by a power of ten, is that one. */
static inline int few_decimals(double value, char *number)
{
#if defined(FLT_EVAL_METHOD) && FLT_EVAL_METHOD == 0
    static const double POWERS[] = {1, 10, 100, 1000, 10000};
    double size = fabs(value);
    if (!(size >= 0.001 && size < 1e10))
        return 0;
    for (int decimals = 0; decimals < 5; decimals++) {
        double whole = rint(size * POWERS[decimals]);
        if (whole / POWERS[decimals] != size)
            continue;
        unsigned long long rest = (unsigned long long)whole;
        char digits[LONGEST_NUMBER];
        int at = LONGEST_NUMBER;
        if (decimals == 0)
            digits[--at] = '0';
        for (int written = 0; written <= decimals || rest; written++) {
            if (written == decimals)
                digits[--at] = '.';
            digits[--at] = (char)('0' + rest % 10);
            rest /= 10;
        }
        if (value < 0)
            digits[--at] = '-';
        memcpy(number, digits + at, (size_t)(LONGEST_NUMBER - at));
        return LONGEST_NUMBER - at;
    }
#endif
    return 0;
}

/* Write an exact float as repr() does, and return how many characters that are; 0 when that fails. */
static inline int float_digits(PyObject *value, char *number)
{
    /* NaN is printed as nothing, which Python does. */
    if (PyFloat_AS_DOUBLE(value) != PyFloat_AS_DOUBLE(value))
        return 0;
    int few = few_decimals(PyFloat_AS_DOUBLE(value), number);
    if (few)
        return few;
    char *digits = PyOS_double_to_string(PyFloat_AS_DOUBLE(value), 'r', 0, Py_DTSF_ADD_DOT_0, NULL);
    if (digits == NULL) {
        PyErr_Clear();
        return 0;
    }
    size_t length = strlen(digits);
    int fits = length < LONGEST_NUMBER;
    if (fits)
        memcpy(number, digits, length);
    PyMem_Free(digits);
    return fits ? (int)length : 0;
}

/* --- text ---------------------------------------------------------------------------------------------------------- */

/* Copy bytes; most texts are short, and for these a call takes longer than the work. */
static inline void copy_bytes(char *to, const char *from, Py_ssize_t length)
{
    if (length > 64)
        memcpy(to, from, (size_t)length);
    else if (length >= 16) {
        for (Py_ssize_t i = 0; i + 16 <= length; i += 16)
            memcpy(to + i, from + i, 16);
        memcpy(to + length - 16, from + length - 16, 16);
    }
    else if (length >= 8) {
        memcpy(to, from, 8);
        memcpy(to + length - 8, from + length - 8, 8);
    }
    else if (length >= 4) {
        memcpy(to, from, 4);
        memcpy(to + length - 4, from + length - 4, 4);
    }
    else if (length > 0) {
        to[0] = from[0];
        to[length / 2] = from[length / 2];
        to[length - 1] = from[length - 1];
    }
}

/* Write ASCII escaped for markup, and return where its end is; NULL when it does not fit, or has something forbidden. */
static inline Py_UCS1 *escape_ascii(const Py_UCS1 *chars, Py_ssize_t length, const unsigned char *more, Py_UCS1 *to,
                                    const Py_UCS1 *end)
{
    if (length > (end - to) / 6)
        return NULL;
    for (Py_ssize_t i = 0; i < length; i++) {
        unsigned char step = more[chars[i]];
        if (step == 0)
            *to++ = chars[i];
        else if (step == FORBIDDEN)
            return NULL;
        else {
            memcpy(to, REFERENCES[chars[i]], (size_t)step + 1);
            to += step + 1;
        }
    }
    return to;
}

/* Write a byte percent-encoded (URL §1.3), and return where its end is. */
static inline Py_UCS1 *put_octet(Py_UCS1 *to, unsigned char octet)
{
    *to++ = '%';
    *to++ = (Py_UCS1)"0123456789ABCDEF"[octet >> 4];
    *to++ = (Py_UCS1)"0123456789ABCDEF"[octet & 15];
    return to;
}

/* Whether a path segment means another directory (URL §4.1), and is looked at by Python. */
static inline int is_dot_segment(PyObject *segment)
{
    Py_ssize_t length = PyUnicode_GET_LENGTH(segment);
    return (length == 1 || length == 2) && PyUnicode_READ_CHAR(segment, 0) == '.'
        && PyUnicode_READ_CHAR(segment, length - 1) == '.';
}

/* Write ASCII percent-encoded, and return where its end is; NULL when it does not fit. */
static inline Py_UCS1 *encode_ascii(const Py_UCS1 *chars, Py_ssize_t length, Py_UCS1 *to, const Py_UCS1 *end)
{
    if (length > (end - to) / 3)
        return NULL;
    for (Py_ssize_t i = 0; i < length; i++) {
        Py_UCS1 c = chars[i];
        if (UNRESERVED[c])
            *to++ = c;
        else
            to = put_octet(to, c);
    }
    return to;
}

static inline Py_UCS1 *write_ascii_text(PyObject *value, char kind, Py_UCS1 *to, const Py_UCS1 *end)
{
    const Py_UCS1 *chars = (const Py_UCS1 *)((PyASCIIObject *)value + 1);
    Py_ssize_t length = PyUnicode_GET_LENGTH(value);
    if (kind == 'p' || kind == 's' || kind == 'g')
        return kind != 'p' && is_dot_segment(value) ? NULL : encode_ascii(chars, length, to, end);
    if (kind != '=' && !is_clean(chars, length))
        return escape_ascii(chars, length, MORE[kind == 'a' ? ATTRIBUTE : kind == 'r' ? RCDATA : TEXT], to, end);
    if (length > end - to)
        return NULL;
    copy_bytes((char *)to, (const char *)chars, length);
    return to + length;
}

/* Write all values between the texts of a join, and return where their end is; NULL when there is any that is not as
   simple, or no room for all: what was written until then means nothing. */
static inline Py_UCS1 *write_quickly(const Join *join, PyObject *const *values, Py_UCS1 *to, const Py_UCS1 *end)
{
    for (int i = 0;; i++) {
        PyObject *text = PyTuple_GET_ITEM(join->texts, i);
        Py_ssize_t length = PyUnicode_GET_LENGTH(text);
        if (length > end - to)
            return NULL;
        copy_bytes((char *)to, PyUnicode_DATA(text), length);
        to += length;
        if (i == join->count)
            return to;
        PyObject *value = values[i];
        char kind = join->kinds[i];
        if (PyUnicode_CheckExact(value) && PyUnicode_IS_COMPACT_ASCII(value)) {
            to = write_ascii_text(value, kind, to, end);
            if (to == NULL)
                return NULL;
        }
        else {
            int is_float = PyFloat_CheckExact(value) && kind != 'p' && kind != 's' && kind != 'g';
            if (kind == '=' || end - to < LONGEST_NUMBER || !(is_float || PyLong_CheckExact(value)))
                return NULL;
            int digits = is_float ? float_digits(value, (char *)to) : int_digits(value, (char *)to);
            if (digits == 0)
                return NULL;
            to += digits;
        }
    }
}

#endif

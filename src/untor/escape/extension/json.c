/* Strings and plain data of JavaScript and JSON (ECMAScript §12.9.4, RFC 8259), in ASCII without < > &.

   Plain data is what is made of nothing but Python's own types, not too deep; anything else is left to Python. */

#include "ascii.h"

typedef struct {
    char *chars;
    Py_ssize_t length, room;
    char first[400];
} Buffer;

static int grow(Buffer *buffer, Py_ssize_t more)
{
    if (more > PY_SSIZE_T_MAX / 3 - buffer->length) {
        PyErr_NoMemory();
        return -1;
    }
    Py_ssize_t room = (buffer->length + more) * 3 / 2;
    char *chars = buffer->chars == buffer->first ? PyMem_Malloc((size_t)room) : PyMem_Realloc(buffer->chars, (size_t)room);
    if (chars == NULL) {
        PyErr_NoMemory();
        return -1;
    }
    if (buffer->chars == buffer->first)
        memcpy(chars, buffer->first, (size_t)buffer->length);
    buffer->chars = chars;
    buffer->room = room;
    return 0;
}

static inline int put(Buffer *buffer, const char *text, Py_ssize_t length)
{
    if (length > buffer->room - buffer->length && grow(buffer, length) < 0)
        return -1;
    memcpy(buffer->chars + buffer->length, text, (size_t)length);
    buffer->length += length;
    return 0;
}

static int put_string(Buffer *buffer, PyObject *string, int way)
{
    static const char HEX[] = "0123456789abcdef";
    Py_ssize_t length = PyUnicode_GET_LENGTH(string), clean = 0;
    int kind = PyUnicode_KIND(string);
    const void *data = PyUnicode_DATA(string);
    const char(*escapes)[8] = (const char(*)[8])ESCAPES[way];
    if (PyUnicode_IS_ASCII(string)) {
        const char *chars = data;
        for (Py_ssize_t i = 0; i < length; i++) {
            const char *escape = escapes[(int)chars[i]];
            if (*escape == '\0')
                continue;
            if (put(buffer, chars + clean, i - clean) < 0 || put(buffer, escape, (Py_ssize_t)strlen(escape)) < 0)
                return -1;
            clean = i + 1;
        }
        return put(buffer, chars + clean, length - clean);
    }
    for (Py_ssize_t i = 0; i < length; i++) {
        Py_UCS4 c = PyUnicode_READ(kind, data, i);
        if (c < 0x80) {
            char one = (char)c;
            const char *escape = escapes[c];
            if ((*escape == '\0' ? put(buffer, &one, 1) : put(buffer, escape, (Py_ssize_t)strlen(escape))) < 0)
                return -1;
            continue;
        }
        Py_UCS4 units[2] = {c, 0};
        if (c >= 0x10000) {
            units[0] = 0xd800 | ((c - 0x10000) >> 10);
            units[1] = 0xdc00 | ((c - 0x10000) & 0x3ff);
        }
        for (int each = 0; each < 2 && units[each]; each++) {
            Py_UCS4 unit = units[each];
            char escape[6] = {'\\', 'u', HEX[unit >> 12], HEX[unit >> 8 & 15], HEX[unit >> 4 & 15], HEX[unit & 15]};
            if (put(buffer, escape, 6) < 0)
                return -1;
        }
    }
    return 0;
}

static int put_literal(Buffer *buffer, PyObject *string)
{
    return put(buffer, "\"", 1) < 0 || put_string(buffer, string, IN_QUOTES) < 0 || put(buffer, "\"", 1) < 0 ? -1 : 0;
}

static PyObject *finished(Buffer *buffer, int outcome)
{
    PyObject *result = NULL;
    if (outcome == 0)
        result = Py_NewRef(Py_None);
    else if (outcome > 0 && (result = PyUnicode_New(buffer->length, 127)) != NULL && buffer->length)
        memcpy(PyUnicode_1BYTE_DATA(result), buffer->chars, (size_t)buffer->length);
    if (buffer->chars != buffer->first)
        PyMem_Free(buffer->chars);
    return result;
}

/* Escape a string for the inside of a string in a script, or in JSON. */
PyObject *inside_string(PyObject *string, int way)
{
    Buffer buffer = {.length = 0, .room = sizeof buffer.first};
    buffer.chars = buffer.first;
    return finished(&buffer, put_string(&buffer, string, way) < 0 ? -1 : 1);
}

#define LARGEST_NUMBER 9007199254740991LL /* ECMAScript §21.1.2.6 */

/* Write a value: 1; 0 where it is none that is plain; -1 with an exception. */
static int put_value(Buffer *buffer, PyObject *value, int script, int levels)
{
    if (is_text(value))
        return put_literal(buffer, value) < 0 ? -1 : 1;
    if (PyLong_CheckExact(value)) {
        int overflow;
        long long number = PyLong_AsLongLongAndOverflow(value, &overflow);
        if (overflow || (script && (number > LARGEST_NUMBER || number < -LARGEST_NUMBER)))
            return 0;
        if (number == -1 && PyErr_Occurred())
            return -1;
        char digits[LONGEST_NUMBER];
        return put(buffer, digits, int_digits(value, digits)) < 0 ? -1 : 1;
    }
    if (value == Py_None)
        return put(buffer, "null", 4) < 0 ? -1 : 1;
    if (value == Py_True)
        return put(buffer, "true", 4) < 0 ? -1 : 1;
    if (value == Py_False)
        return put(buffer, "false", 5) < 0 ? -1 : 1;
    if (PyFloat_CheckExact(value)) {
        double number = PyFloat_AS_DOUBLE(value);
        char digits[LONGEST_NUMBER];
        int length = number - number != 0 ? 0 : float_digits(value, digits);
        return length == 0 ? 0 : put(buffer, digits, length) < 0 ? -1 : 1;
    }
    if (levels == 0)
        return 0;
    if (PyDict_CheckExact(value)) {
        PyObject *key, *item;
        Py_ssize_t at = 0;
        Py_ssize_t length = buffer->length + 1;
        if (put(buffer, "{", 1) < 0)
            return -1;
        while (PyDict_Next(value, &at, &key, &item)) {
            if (!is_text(key) || (script && PyUnicode_CompareWithASCIIString(key, "__proto__") == 0))
                return 0;
            if (put(buffer, ",", buffer->length > length) < 0 || put_literal(buffer, key) < 0 || put(buffer, ":", 1) < 0)
                return -1;
            int outcome = put_value(buffer, item, script, levels - 1);
            if (outcome <= 0)
                return outcome;
        }
        return put(buffer, "}", 1) < 0 ? -1 : 1;
    }
    if (!PyList_CheckExact(value))
        return 0;
    Py_ssize_t count = PyList_GET_SIZE(value);
    if (put(buffer, "[", 1) < 0)
        return -1;
    for (Py_ssize_t i = 0; i < count; i++) {
        if (i && put(buffer, ",", 1) < 0)
            return -1;
        int outcome = put_value(buffer, PyList_GET_ITEM(value, i), script, levels - 1);
        if (outcome <= 0)
            return outcome;
    }
    return put(buffer, "]", 1) < 0 ? -1 : 1;
}

/* Return a value as JSON, or with a true second argument as JavaScript; None where it is none that is plain. */
PyObject *plain_data(PyObject *module, PyObject *const *arguments, Py_ssize_t count)
{
    (void)module;
    if (count != 2) {
        PyErr_SetString(PyExc_TypeError, "plain_data takes a value, and whether it is for a script");
        return NULL;
    }
    Buffer buffer = {.length = 0, .room = sizeof buffer.first};
    buffer.chars = buffer.first;
    return finished(&buffer, put_value(&buffer, arguments[0], arguments[1] == Py_True, 6));
}

/* The fast path of the escaping functions, one value at a time. */

#include "program.h"

static const char *const NAMES[SLOW] = {
    "text", "attribute", "rcdata", "percent", "segment_url", "script_string", "json_string", "dot", "quoted", "truth", "each",
    "pairs", "item", "printed", "url_segment", "not_there", "only_data", "collected",
    "compare", "is_absent", "reported", "computed"};

static inline State *state_of(PyObject *module) { return (State *)PyModule_GetState(module); }

static PyObject *slowly(PyObject *module, int which, PyObject *const *arguments, Py_ssize_t count)
{
    PyObject *function = state_of(module)->slow[which];
    if (function == NULL) {
        PyErr_Format(PyExc_RuntimeError, "%s is not installed", NAMES[which]);
        return NULL;
    }
    if (count && is_text(arguments[0]) && complete_table(which, function) < 0)
        return NULL;
    return PyObject_Vectorcall(function, arguments, (size_t)count, NULL);
}

static PyObject *markup(PyObject *module, PyObject *value, int which)
{
    const unsigned char *more = MORE[which];
    if (is_text(value)) {
        Py_ssize_t extra = growth(value, more);
        if (extra == 0)
            return Py_NewRef(value);
        if (extra > 0)
            return escaped(value, more, extra);
    }
    else if (PyLong_CheckExact(value))
        return PyObject_Repr(value);
    return slowly(module, which, &value, 1);
}

static PyObject *text(PyObject *module, PyObject *value) { return markup(module, value, TEXT); }

static PyObject *attribute(PyObject *module, PyObject *value) { return markup(module, value, ATTRIBUTE); }

static PyObject *rcdata(PyObject *module, PyObject *value) { return markup(module, value, RCDATA); }

/* Percent-encode text between two others of ASCII, or alone; NULL without an error when it is not that simple. */
static PyObject *percent_encoded(PyObject *before, PyObject *value, PyObject *after)
{
    Py_ssize_t length = is_text(value) ? encoded_length(value) : -1, prefix = 0, suffix = 0;
    if (length < 0)
        return NULL;
    if (before != NULL) {
        if (!is_text(before) || !PyUnicode_IS_ASCII(before) || !is_text(after) || !PyUnicode_IS_ASCII(after))
            return NULL;
        prefix = PyUnicode_GET_LENGTH(before);
        suffix = PyUnicode_GET_LENGTH(after);
    }
    else if (length == PyUnicode_GET_LENGTH(value))
        return Py_NewRef(value);
    if (prefix > PY_SSIZE_T_MAX / 4 || suffix > PY_SSIZE_T_MAX / 4)
        return PyErr_NoMemory();
    PyObject *result = PyUnicode_New(prefix + length + suffix, 127);
    if (result == NULL)
        return NULL;
    Py_UCS1 *to = PyUnicode_1BYTE_DATA(result);
    if (prefix)
        memcpy(to, PyUnicode_1BYTE_DATA(before), (size_t)prefix);
    encode(value, PyUnicode_1BYTE_KIND, to, prefix);
    if (suffix)
        memcpy(to + prefix + length, PyUnicode_1BYTE_DATA(after), (size_t)suffix);
    return result;
}

static PyObject *percent(PyObject *module, PyObject *value)
{
    PyObject *result = percent_encoded(NULL, value, NULL);
    if (result != NULL || PyErr_Occurred())
        return result;
    return slowly(module, PERCENT, &value, 1);
}

static PyObject *segment_url(PyObject *module, PyObject *const *arguments, Py_ssize_t count)
{
    if (count == 3 && is_text(arguments[1])) {
        PyObject *value = arguments[1];
        if (PyUnicode_GET_LENGTH(value) > 0 && !is_dot_segment(value)) {
            PyObject *result = percent_encoded(arguments[0], value, arguments[2]);
            if (result != NULL || PyErr_Occurred())
                return result;
        }
    }
    return slowly(module, SEGMENT_URL, arguments, count);
}

static PyObject *script_string(PyObject *module, PyObject *value)
{
    if (!is_text(value))
        return slowly(module, SCRIPT_STRING, &value, 1);
    if (PyUnicode_IS_ASCII(value)) {
        Py_ssize_t length = PyUnicode_GET_LENGTH(value), i = 0;
        const Py_UCS1 *chars = PyUnicode_1BYTE_DATA(value);
        while (i < length && ESCAPES[IN_SCRIPT_STRING][chars[i]][0] == '\0')
            i++;
        if (i == length)
            return Py_NewRef(value);
    }
    return inside_string(value, IN_SCRIPT_STRING);
}

static PyObject *json_string(PyObject *module, PyObject *value)
{
    return is_text(value) ? inside_string(value, IN_JSON_STRING) : slowly(module, JSON_STRING, &value, 1);
}

static PyObject *install(PyObject *module, PyObject *arguments)
{
    const char *name;
    PyObject *function;
    if (!PyArg_ParseTuple(arguments, "sO", &name, &function))
        return NULL;
    State *state = state_of(module);
    if (strcmp(name, "missing") == 0) {
        Py_XSETREF(state->missing, Py_NewRef(function));
        Py_RETURN_NONE;
    }
    if (strcmp(name, "deferred") == 0) {
        Py_XSETREF(state->deferred, Py_NewRef(function));
        Py_RETURN_NONE;
    }
    if (strcmp(name, "reports") == 0) {
        if (!PyList_CheckExact(function)) {
            PyErr_SetString(PyExc_TypeError, "reports is a list");
            return NULL;
        }
        Py_XSETREF(state->reports, Py_NewRef(function));
        Py_RETURN_NONE;
    }
    PyObject **types = strcmp(name, "direct") == 0  ? &state->direct
                       : strcmp(name, "items") == 0 ? &state->items
                       : strcmp(name, "both") == 0  ? &state->both
                       : strcmp(name, "rows") == 0  ? &state->rows
                       : strcmp(name, "plain") == 0 ? &state->plain
                                                    : NULL;
    if (types != NULL) {
        if (!PySet_CheckExact(function)) {
            PyErr_Format(PyExc_TypeError, "%s is a set", name);
            return NULL;
        }
        Py_XSETREF(*types, Py_NewRef(function));
        Py_RETURN_NONE;
    }
    for (int which = 0; which < SLOW; which++) {
        if (strcmp(name, NAMES[which]) == 0) {
            int has_table = (which < DOT || which == QUOTED) && which != SEGMENT_URL;
            if (has_table && state->slow[which] != function && fill_table(which, function, 0) < 0)
                return NULL;
            Py_XSETREF(state->slow[which], Py_NewRef(function));
            return which >= DOT ? Py_NewRef(function) : PyObject_GetAttrString(module, name);
        }
    }
    PyErr_Format(PyExc_ValueError, "there is no %s", name);
    return NULL;
}

static PyObject *program(PyObject *module, PyObject *arguments) { return new_program(module, state_of(module), arguments); }

static PyObject *in_program(PyObject *module, PyObject *ignored)
{
    (void)module;
    (void)ignored;
    return PyBool_FromLong(is_in_program());
}

static PyMethodDef METHODS[] = {
    {"is_in_program", in_program, METH_NOARGS, NULL},
    {"text", text, METH_O, NULL},
    {"attribute", attribute, METH_O, NULL},
    {"rcdata", rcdata, METH_O, NULL},
    {"percent", percent, METH_O, NULL},
    {"segment_url", (PyCFunction)(void (*)(void))segment_url, METH_FASTCALL, NULL},
    {"script_string", script_string, METH_O, NULL},
    {"json_string", json_string, METH_O, NULL},
    {"plain_data", (PyCFunction)(void (*)(void))plain_data, METH_FASTCALL, "Return plain data as JSON or JavaScript, or None."},
    {"install", install, METH_VARARGS, "Take the function in Python that does what is not done here; return the fast one."},
    {"program", program, METH_VARARGS, "Return a program that renders pages; see program.c."},
    {NULL, NULL, 0, NULL},
};

static int traverse(PyObject *module, visitproc visit, void *arg)
{
    State *state = state_of(module);
    for (int which = 0; which < SLOW; which++)
        Py_VISIT(state->slow[which]);
    Py_VISIT(state->direct);
    Py_VISIT(state->items);
    Py_VISIT(state->both);
    Py_VISIT(state->rows);
    Py_VISIT(state->plain);
    Py_VISIT(state->reports);
    Py_VISIT(state->missing);
    Py_VISIT(state->deferred);
    Py_VISIT(state->program);
    Py_VISIT(state->run);
    return 0;
}

static int clear(PyObject *module)
{
    State *state = state_of(module);
    for (int which = 0; which < SLOW; which++)
        Py_CLEAR(state->slow[which]);
    Py_CLEAR(state->direct);
    Py_CLEAR(state->items);
    Py_CLEAR(state->both);
    Py_CLEAR(state->rows);
    Py_CLEAR(state->plain);
    Py_CLEAR(state->reports);
    Py_CLEAR(state->missing);
    Py_CLEAR(state->deferred);
    Py_CLEAR(state->program);
    Py_CLEAR(state->run);
    return 0;
}

static void release(void *module) { clear((PyObject *)module); }

static int execute(PyObject *module)
{
    empty_tables();
    return add_programs(module, state_of(module));
}

static PyModuleDef_Slot SLOTS[] = {
    {Py_mod_exec, execute},
    /* The tables of characters are those of the process, and steps remember types: one lock is needed around both. */
#if PY_VERSION_HEX >= 0x030C0000
    {Py_mod_multiple_interpreters, Py_MOD_MULTIPLE_INTERPRETERS_SUPPORTED},
#endif
#if PY_VERSION_HEX >= 0x030D0000
    {Py_mod_gil, Py_MOD_GIL_USED},
#endif
    {0, NULL},
};

static struct PyModuleDef MODULE = {
    PyModuleDef_HEAD_INIT, "untor.escape._extension", NULL, sizeof(State), METHODS, SLOTS, traverse, clear, release,
};

PyMODINIT_FUNC PyInit__extension(void) { return PyModuleDef_Init(&MODULE); }

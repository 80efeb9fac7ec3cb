/* What a program makes of values: comparisons, sums, collections, and the results of calls. */

#ifndef UNTOR_CALLS_H
#define UNTOR_CALLS_H

#include "reading.h"

#define FEW_ARGUMENTS 32

/* Whether a value is compared as Python does it: 1 or 0; -1 with an exception. */
static inline int is_ordinary(const State *state, PyObject *value)
{
    return value == Py_None || PyFloat_CheckExact(value) ? 1 : is_plain(state, Py_TYPE(value));
}

static PyObject *compare(State *state, PyObject *left, PyObject *right, int how)
{
    static const char *const OPERATORS[] = {"<", "<=", "==", "!=", ">", ">=", "in", "not in"};
    if (how == IS || how == IS_NOT)
        return PyBool_FromLong((left == right || (left == state->missing && Py_IsNone(right))) == (how == IS));
    if (how > NOT_IN) {
        PyErr_SetString(PyExc_SystemError, "there is no such comparison");
        return NULL;
    }
    int ordinary = is_ordinary(state, left);
    if (ordinary > 0)
        ordinary = is_ordinary(state, right);
    if (ordinary < 0)
        return NULL;
    if (!ordinary) {
        PyObject *operator = PyUnicode_FromString(OPERATORS[how]);
        PyObject *result = operator == NULL ? NULL : slowly(state, COMPARED, left, right, operator);
        Py_XDECREF(operator);
        return result;
    }
    if (how == IN || how == NOT_IN) {
        int found = PySequence_Contains(right, left);
        return found < 0 ? NULL : PyBool_FromLong(found == (how == IN));
    }
    PyObject *result = PyObject_RichCompare(left, right, how);
    if (result == NULL || PyBool_Check(result))
        return result;
    int found = PyObject_IsTrue(result);
    Py_DECREF(result);
    return found < 0 ? NULL : PyBool_FromLong(found);
}

static PyObject *binary(PyObject *left, PyObject *right, int how)
{
    switch (how) {
    case ADDED: return PyNumber_Add(left, right);
    case SUBTRACTED: return PyNumber_Subtract(left, right);
    case MULTIPLIED: return PyNumber_Multiply(left, right);
    case DIVIDED: return PyNumber_TrueDivide(left, right);
    default: return PyNumber_FloorDivide(left, right);
    }
}

static PyObject *unary(State *state, PyObject *value, int how)
{
    if (how == NOT) {
        int found = is_true(state, value);
        return found < 0 ? NULL : PyBool_FromLong(!found);
    }
    return how == MINUS ? PyNumber_Negative(value) : PyNumber_Positive(value);
}

static int are_names(PyObject *names, int most)
{
    if (!PyTuple_CheckExact(names) || PyTuple_GET_SIZE(names) > most)
        return 0;
    for (Py_ssize_t i = 0; i < PyTuple_GET_SIZE(names); i++)
        if (!PyUnicode_CheckExact(PyTuple_GET_ITEM(names, i)))
            return 0;
    return 1;
}

static PyObject *call(PyObject **slots, PyObject *constants, const int *step)
{
    PyObject *few[FEW_ARGUMENTS + 1], **arguments = few, *names = VALUE(step[3]);
    int count = step[5];
    if (names == Py_None)
        names = NULL;
    else if (!are_names(names, count)) {
        PyErr_SetString(PyExc_SystemError, "the names of arguments are text");
        return NULL;
    }
    if (count > FEW_ARGUMENTS && (arguments = PyMem_Malloc(((size_t)count + 1) * sizeof(PyObject *))) == NULL)
        return PyErr_NoMemory();
    for (int i = 0; i < count; i++)
        arguments[1 + i] = VALUE(step[6 + i]);
    Py_ssize_t named = names == NULL ? 0 : PyTuple_GET_SIZE(names);
    PyObject *function = Py_NewRef(VALUE(step[2]));
    PyObject *result = PyObject_Vectorcall(function, arguments + 1, (size_t)(count - named) | PY_VECTORCALL_ARGUMENTS_OFFSET, names);
    Py_DECREF(function);
    if (arguments != few)
        PyMem_Free(arguments);
    return result;
}

static PyObject *pack(PyObject **slots, PyObject *constants, const int *step)
{
    int count = step[3];
    if (step[2] == AS_DICT) {
        PyObject *made = PyDict_New();
        for (int i = 0; made != NULL && i + 1 < count; i += 2)
            if (PyDict_SetItem(made, VALUE(step[4 + i]), VALUE(step[5 + i])) < 0)
                Py_CLEAR(made);
        return made;
    }
    PyObject *made = step[2] == AS_LIST ? PyList_New(count) : PyTuple_New(count);
    for (int i = 0; made != NULL && i < count; i++) {
        PyObject *item = Py_NewRef(VALUE(step[4 + i]));
        if (step[2] == AS_LIST)
            PyList_SET_ITEM(made, i, item);
        else
            PyTuple_SET_ITEM(made, i, item);
    }
    return made;
}

/* What is called, if it may be: a new reference, or NULL with an exception. */
static PyObject *callee(const Program *program, PyObject *value, PyObject *words)
{
    PyObject *own = PyTuple_GET_ITEM(program->helpers, OWN);
    int is_known = PyFunction_Check(value);
    for (Py_ssize_t i = 0; !is_known && i < PyTuple_GET_SIZE(own); i++)
        is_known = PyTuple_GET_ITEM(own, i) == value;
    if (is_known)
        return Py_NewRef(value);
    return PyObject_CallFunctionObjArgs(PyTuple_GET_ITEM(program->helpers, CALLABLE), value, words, NULL);
}

/* Whether a value is of a type that is taken, at a glance. */
static inline int is_of_kind(PyObject *value, int kind)
{
    switch (kind) {
    case TEXT_ONLY: return PyUnicode_CheckExact(value);
    case WHOLE: return PyLong_CheckExact(value);
    case NUMBER: return PyFloat_CheckExact(value) || PyLong_CheckExact(value);
    case TRUTH_ONLY: return PyBool_Check(value);
    case SEQUENCE: return PyList_CheckExact(value) || PyTuple_CheckExact(value);
    case MAPPING: return PyDict_CheckExact(value);
    default: return 0;
    }
}

#endif

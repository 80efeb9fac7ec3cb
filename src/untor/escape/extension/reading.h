/* How a program reads values: dots, items, what counts as true, and the names of the page. */

#ifndef UNTOR_READING_H
#define UNTOR_READING_H

#include "program.h"

static inline int is_awaitable(PyObject *value)
{
    PyAsyncMethods *methods = Py_TYPE(value)->tp_as_async;
    return methods != NULL && methods->am_await != NULL;
}

/* Put what a step has made into a slot: 0, or -1 when there was an exception instead. */
static inline int put(PyObject **slot, PyObject *value)
{
    if (value == NULL)
        return -1;
    Py_SETREF(*slot, value);
    return 0;
}

/* Call one of the functions in Python that were installed. */
static PyObject *slowly(State *state, int which, PyObject *first, PyObject *second, PyObject *third)
{
    if (state->slow[which] == NULL) {
        PyErr_SetString(PyExc_RuntimeError, "a function is not installed");
        return NULL;
    }
    return PyObject_CallFunctionObjArgs(state->slow[which], first, second, third, NULL);
}

/* Look up an attribute: 1, 0 when there is none, -1 with an exception. */
static inline int look_up(PyObject *owner, PyObject *name, PyObject **value)
{
#if PY_VERSION_HEX >= 0x030D0000
    return PyObject_GetOptionalAttr(owner, name, value);
#else
    return _PyObject_LookupAttr(owner, name, value);
#endif
}

/* Find out how a dot of a type is read: 0, or -1 with an exception. */
static int see(const State *state, PyTypeObject *type, PyObject *name, Seen *seen)
{
    PyObject *const sets[] = {state->direct, state->items, state->both, state->rows}, *own = NULL;
    int how = BY_PYTHON;
    for (int i = 0; i < 4 && how == BY_PYTHON; i++) {
        int is_one = sets[i] == NULL ? 0 : PySet_Contains(sets[i], (PyObject *)type);
        if (is_one < 0)
            return -1;
        how = is_one ? BY_ATTRIBUTE + i : BY_PYTHON;
    }
    /* A method may hide a column of the same name. */
    if (how == BY_BOTH && look_up((PyObject *)type, name, &own) < 0)
        return -1;
    if (own != NULL && PyCallable_Check(own))
        how = BY_PYTHON;
    Py_XDECREF(own);
    seen->how = how;
    /* What Python sees for the first time, it may know the next time. */
    Py_XSETREF(seen->type, how == BY_PYTHON ? NULL : (PyTypeObject *)Py_NewRef(type));
    return 0;
}

/* Look up an item: a new reference; NULL when there is none, or with an exception. */
static PyObject *item_of(PyObject *owner, PyObject *name)
{
    PyObject *value = PyObject_GetItem(owner, name);
    if (value == NULL && (PyErr_ExceptionMatches(PyExc_LookupError) || PyErr_ExceptionMatches(PyExc_TypeError)))
        PyErr_Clear();
    return value;
}

/* Return what there is instead of an attribute that was not found, or NULL with the exception of a property's own code; an
   AttributeError then has the object and the name, as PyObject_GetAttr has it. */
static Py_NO_INLINE PyObject *instead_of(State *state, PyObject *owner, PyObject *name)
{
    if (!PyErr_ExceptionMatches(PyExc_AttributeError))
        return NULL;
    PyObject *error = PyErr_GetRaisedException();
    PyObject *value = slowly(state, NOT_THERE, owner, name, error);
    if (value != NULL && value == error) {
        PyAttributeErrorObject *told = (PyAttributeErrorObject *)error;
        if (told->obj == NULL && told->name == NULL) {
            told->obj = Py_NewRef(owner);
            told->name = Py_NewRef(name);
        }
        Py_CLEAR(value);
        PyErr_SetRaisedException(error);
        return NULL;
    }
    Py_XDECREF(error);
    return value;
}

/* Read a dot of what is not a dict, and is not read as an attribute. */
static Py_NO_INLINE PyObject *read_by_type(State *state, PyObject *owner, PyObject *name, Seen *seen)
{
    PyObject *value = NULL;
    PyTypeObject *type = Py_TYPE(owner);
    if (type != seen->type && see(state, type, name, seen) < 0)
        return NULL;
    int how = type == seen->type ? seen->how : BY_PYTHON;
    if (how == BY_PYTHON)
        return slowly(state, DOT, owner, name, NULL);
    if (how == BY_ITEM || how == BY_ROW) {
        value = item_of(owner, name);
        if (value != NULL || PyErr_Occurred())
            return value;
        if (how == BY_ITEM)
            return slowly(state, NOT_THERE, owner, name, Py_None);
    }
    value = PyObject_GetAttr(owner, name);
    return value == NULL ? instead_of(state, owner, name) : value;
}

static inline PyObject *read_dot(State *state, PyObject *owner, PyObject *name, Seen *seen)
{
    PyTypeObject *type = Py_TYPE(owner);
    if (type == &PyDict_Type) {
        PyObject *value = PyDict_GetItemWithError(owner, name);
        if (value != NULL)
            return Py_NewRef(value);
        return PyErr_Occurred() ? NULL : slowly(state, NOT_THERE, owner, name, Py_None);
    }
    if (type != seen->type || seen->how != BY_ATTRIBUTE || type->tp_getattro != PyObject_GenericGetAttr)
        return read_by_type(state, owner, name, seen);
    PyObject *value = PyObject_GenericGetAttr(owner, name);
    return value == NULL ? instead_of(state, owner, name) : value;
}

/* What a dot of an owner has given, to be handed on: what can be called is looked at by Python, since it may be a method. */
static inline PyObject *only_data(State *state, PyObject *owner, PyObject *name, PyObject *value)
{
    if (value == NULL || Py_TYPE(value)->tp_call == NULL || PyDict_CheckExact(owner))
        return value;
    Py_SETREF(value, slowly(state, ONLY_DATA, value, owner, name));
    return value;
}

static inline PyObject *read_item(State *state, PyObject *owner, PyObject *index)
{
    PyObject *value = NULL;
    if (PyLong_CheckExact(index) && (PyList_CheckExact(owner) || PyTuple_CheckExact(owner))) {
        Py_ssize_t at = PyLong_AsSsize_t(index), size = Py_SIZE(owner);
        if (at == -1 && PyErr_Occurred())
            PyErr_Clear();
        else if (at >= -size && at < size) {
            at += at < 0 ? size : 0;
            return Py_NewRef(PyList_CheckExact(owner) ? PyList_GET_ITEM(owner, at) : PyTuple_GET_ITEM(owner, at));
        }
    }
    else if (PyDict_CheckExact(owner)) {
        int is_name = PyUnicode_CheckExact(index) && (PyUnicode_GET_LENGTH(index) == 0 || PyUnicode_READ_CHAR(index, 0) != '_');
        if (is_name || PyLong_CheckExact(index)) {
            value = PyDict_GetItemWithError(owner, index);
            if (value != NULL || PyErr_Occurred())
                return Py_XNewRef(value);
        }
    }
    return slowly(state, ITEM, owner, index, NULL);
}

/* Whether a type is one whose values are never absent, and are tested and compared as Python has it: 1 or 0; -1 with an
   exception. */
static inline int is_plain(const State *state, PyTypeObject *type)
{
    if (type == &PyUnicode_Type || type == &PyLong_Type || type == &PyList_Type || type == &PyBool_Type)
        return 1;
    return state->plain == NULL ? 0 : PySet_Contains(state->plain, (PyObject *)type);
}

/* Ask Python a question that has the answer yes or no: 1 or 0; -1 with an exception. */
static int asked(State *state, int which, PyObject *first, PyObject *second, PyObject *third)
{
    PyObject *answer = slowly(state, which, first, second, third);
    int found = answer == NULL ? -1 : PyObject_IsTrue(answer);
    Py_XDECREF(answer);
    return found;
}

/* Whether a value counts as true: 1 or 0; -1 with an exception. */
static inline int is_true(State *state, PyObject *value)
{
    if (value == Py_True)
        return 1;
    if (value == Py_False || value == Py_None)
        return 0;
    int plain = is_plain(state, Py_TYPE(value));
    return plain < 0 ? -1 : plain ? PyObject_IsTrue(value) : asked(state, TRUTH, value, NULL, NULL);
}

/* Whether a value is None, missing, or NaN and the like: 1 or 0; -1 with an exception. */
static inline int is_absent(State *state, PyObject *value)
{
    if (value == Py_None || value == state->missing)
        return 1;
    if (PyFloat_CheckExact(value))
        return PyFloat_AS_DOUBLE(value) != PyFloat_AS_DOUBLE(value);
    int plain = is_plain(state, Py_TYPE(value));
    return plain < 0 ? -1 : plain ? 0 : asked(state, IS_ABSENT, value, NULL, NULL);
}

/* The names that a page sees, as a dict; borrowed. */
static PyObject *scope_of(Run *run)
{
    if (run->scope == NULL) {
        PyObject *values = run->values == NULL ? PyDict_New() : Py_NewRef(run->values);
        for (Py_ssize_t i = 0; values != NULL && run->given_names != NULL && i < PyTuple_GET_SIZE(run->given_names); i++)
            if (PyDict_SetItem(values, PyTuple_GET_ITEM(run->given_names, i), run->given[i]) < 0)
                Py_CLEAR(values);
        if (values != NULL)
            run->scope = PyObject_CallFunctionObjArgs(PyTuple_GET_ITEM(run->program->helpers, MERGE), run->context, values, NULL);
        Py_XDECREF(values);
    }
    return run->scope;
}

/* Raise the exception for a name that is missing. */
static inline int raise_missing(Run *run, int name, int how, PyObject *names)
{
    if (how != OF_PIECE && (names = scope_of(run)) == NULL)
        return -1;
    PyObject *number = PyLong_FromLong(how), *result = NULL;
    if (number != NULL)
        result = PyObject_CallFunctionObjArgs(PyTuple_GET_ITEM(run->program->helpers, MISSING_NAME), number,
                                              PyTuple_GET_ITEM(run->program->names, name), names, NULL);
    if (result != NULL)
        PyErr_SetString(PyExc_SystemError, "a missing name was not told of");
    Py_XDECREF(number);
    Py_XDECREF(result);
    return -1;
}

/* Put the value of a slot there, if it is one that is computed when it is read: 0, or -1 with an exception. */
static inline int compute(Run *run, PyObject **slot)
{
    State *state = run->program->state;
    if ((PyObject *)Py_TYPE(*slot) != state->deferred)
        return 0;
    if (run->computed == NULL && (run->computed = PyDict_New()) == NULL)
        return -1;
    PyObject *deferred = Py_NewRef(*slot), *value = slowly(state, COMPUTED, deferred, run->computed, NULL);
    Py_DECREF(deferred);
    return put(slot, value);
}

/* The attribute of the page's nonce: a new reference; NULL with an exception. */
static inline PyObject *nonce_of(Run *run)
{
    PyObject *names = run->scope, *found = NULL;
    if (names == NULL && run->context != Py_None)
        names = PyDict_CheckExact(run->context) ? run->context : scope_of(run);
    if (names == NULL && PyErr_Occurred())
        return NULL;
    if (names != NULL && PyDict_Check(names))
        found = PyDict_GetItemWithError(names, run->program->nonce);
    if (found == NULL && PyErr_Occurred())
        return NULL;
    return found == NULL ? PyUnicode_New(0, 0) : Py_NewRef(found);
}

#endif

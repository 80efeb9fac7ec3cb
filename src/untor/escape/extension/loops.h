/* Loops of a program: what they run over, and what they count. */

#ifndef UNTOR_LOOPS_H
#define UNTOR_LOOPS_H

#include "reading.h"

/* What a loop with several names runs over; messages number its items from first on: a new reference, or NULL with an exception. */
static PyObject *taken_apart(State *state, PyObject *value, int names, Py_ssize_t first)
{
    PyObject *count = PyLong_FromLong(names), *number = PyLong_FromSsize_t(first), *items = NULL;
    if (count != NULL && number != NULL)
        items = slowly(state, PAIRS, value, count, number);
    Py_XDECREF(count);
    Py_XDECREF(number);
    return items;
}

/* Begin a loop over a value: 0, or -1 with an exception. */
static int begin_items(State *state, Cursor *cursor, PyObject *value, int is_sized, int names)
{
    PyObject *items;
    if (names > 1)
        items = taken_apart(state, value, names, 1);
    else if (PyList_CheckExact(value) || PyTuple_CheckExact(value))
        items = Py_NewRef(value);
    else
        items = slowly(state, EACH, value, NULL, NULL);
    if (items != NULL && is_sized && !PyList_CheckExact(items) && !PyTuple_CheckExact(items))
        Py_SETREF(items, PySequence_List(items));
    if (items == NULL)
        return -1;
    cursor->kind = PyList_CheckExact(items) ? OF_LIST : PyTuple_CheckExact(items) ? OF_TUPLE : OF_ITERATOR;
    cursor->total = cursor->kind == OF_ITERATOR ? 0 : Py_SIZE(items);
    if (cursor->kind == OF_ITERATOR) {
        Py_SETREF(items, PyObject_GetIter(items));
        if (items == NULL)
            return -1;
    }
    cursor->at = cursor->count = 0;
    Py_XSETREF(cursor->items, items);
    return 0;
}

/* The next item: a new reference; NULL when there is none, or with an exception. */
static inline PyObject *next_item(Cursor *cursor)
{
    switch (cursor->kind) {
    case OF_LIST:
        if (cursor->at < PyList_GET_SIZE(cursor->items))
            return Py_NewRef(PyList_GET_ITEM(cursor->items, cursor->at++));
        break;
    case OF_TUPLE:
        if (cursor->at < PyTuple_GET_SIZE(cursor->items))
            return Py_NewRef(PyTuple_GET_ITEM(cursor->items, cursor->at++));
        break;
    case OF_ITERATOR:
        cursor->at++;
        return PyIter_Next(cursor->items);
    case OF_ASYNC: {
        cursor->at++;
        PyAsyncMethods *methods = Py_TYPE(cursor->items)->tp_as_async;
        if (methods != NULL && methods->am_anext != NULL)
            return methods->am_anext(cursor->items);
        PyErr_SetString(PyExc_TypeError, "an asynchronous iterator has no __anext__");
        return NULL;
    }
    }
    return NULL;
}

static void end_items(Cursor *cursor)
{
    cursor->kind = NO_ITEMS;
    Py_CLEAR(cursor->items);
}

/* A loop over what is asynchronous, in a page that awaits: 0 when it is no such thing; 1, it has begun, item by item; 2, all
   its items are to be awaited first; -1 with an exception. */
static int begin_async(Run *run, Cursor *cursor, PyObject *value, int is_sized)
{
    PyAsyncMethods *methods = Py_TYPE(value)->tp_as_async;
    if (methods == NULL || methods->am_aiter == NULL)
        return 0;
    int is_each = run->chunks && !is_sized;
    PyObject *items = is_each ? methods->am_aiter(value) : slowly(run->program->state, COLLECTED, value, NULL, NULL);
    if (items == NULL)
        return -1;
    cursor->kind = is_each ? OF_ASYNC : NO_ITEMS;
    cursor->at = cursor->count = cursor->total = 0;
    Py_XSETREF(cursor->items, items);
    return is_each ? 1 : 2;
}

/* Put the values of an item, by its number, into slots, as many as there are names: 0, or -1 with an exception. */
static int split(State *state, PyObject *item, Py_ssize_t number, PyObject **slots, const int *targets, int names)
{
    PyObject *values = Py_NewRef(item);
    if (!PyTuple_CheckExact(values) || PyTuple_GET_SIZE(values) != names) {
        PyObject *single = PyList_New(1), *items = NULL, *iterator = NULL;
        if (single != NULL) {
            PyList_SET_ITEM(single, 0, values);
            values = NULL;
            items = taken_apart(state, single, names, number);
        }
        iterator = items == NULL ? NULL : PyObject_GetIter(items);
        Py_XSETREF(values, iterator == NULL ? NULL : PyIter_Next(iterator));
        Py_XDECREF(single);
        Py_XDECREF(items);
        Py_XDECREF(iterator);
        if (values != NULL && (!PyTuple_CheckExact(values) || PyTuple_GET_SIZE(values) != names))
            Py_CLEAR(values);
        if (values == NULL) {
            if (!PyErr_Occurred())
                PyErr_SetString(PyExc_SystemError, "an item has another number of values");
            return -1;
        }
    }
    for (int i = 0; i < names; i++)
        Py_XSETREF(slots[targets[i]], Py_NewRef(PyTuple_GET_ITEM(values, i)));
    Py_DECREF(values);
    return 0;
}

static PyObject *position(const Cursor *cursor, int what)
{
    Py_ssize_t index = cursor->count - 1;
    switch (what) {
    case OF_INDEX: return PyLong_FromSsize_t(index);
    case OF_NUMBER: return PyLong_FromSsize_t(cursor->count);
    case OF_FIRST: return PyBool_FromLong(index == 0);
    case OF_ODD: return PyBool_FromLong((index & 1) == 0);
    case OF_EVEN: return PyBool_FromLong(index & 1);
    default: return PyLong_FromSsize_t(cursor->total);
    }
}

#endif

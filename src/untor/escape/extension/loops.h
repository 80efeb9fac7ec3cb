/* Loops of a program: what they run over, and what they count. */

#ifndef UNTOR_LOOPS_H
#define UNTOR_LOOPS_H

#include "reading.h"

/* Begin a loop over a value: 0, or -1 with an exception. */
static int begin_items(State *state, Cursor *cursor, PyObject *value, int how)
{
    PyObject *items;
    if (!(how & AS_PAIRS) && (PyList_CheckExact(value) || PyTuple_CheckExact(value)))
        items = Py_NewRef(value);
    else
        items = slowly(state, how & AS_PAIRS ? PAIRS : EACH, value, NULL, NULL);
    if (items != NULL && how & AS_SIZED && !PyList_CheckExact(items) && !PyTuple_CheckExact(items))
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
        return PyIter_Next(cursor->items);
    case OF_ASYNC: {
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
static int begin_async(Run *run, Cursor *cursor, PyObject *value, int how)
{
    PyAsyncMethods *methods = Py_TYPE(value)->tp_as_async;
    if (methods == NULL || methods->am_aiter == NULL)
        return 0;
    int is_each = run->chunks && !(how & AS_SIZED);
    PyObject *items = is_each ? methods->am_aiter(value) : slowly(run->program->state, COLLECTED, value, NULL, NULL);
    if (items == NULL)
        return -1;
    cursor->kind = is_each ? OF_ASYNC : NO_ITEMS;
    cursor->at = cursor->count = cursor->total = 0;
    Py_XSETREF(cursor->items, items);
    return is_each ? 1 : 2;
}

/* Put the two of a pair into slots: 0, or -1 with an exception. */
static int split(State *state, PyObject *pair, PyObject **first, PyObject **second)
{
    PyObject *made = NULL;
    if (!PyTuple_CheckExact(pair) || PyTuple_GET_SIZE(pair) != 2) {
        PyObject *single = PyList_New(1), *pairs = NULL, *iterator = NULL;
        if (single != NULL) {
            PyList_SET_ITEM(single, 0, Py_NewRef(pair));
            pairs = slowly(state, PAIRS, single, NULL, NULL);
        }
        iterator = pairs == NULL ? NULL : PyObject_GetIter(pairs);
        made = iterator == NULL ? NULL : PyIter_Next(iterator);
        Py_XDECREF(single);
        Py_XDECREF(pairs);
        Py_XDECREF(iterator);
        if (made != NULL && (!PyTuple_CheckExact(made) || PyTuple_GET_SIZE(made) != 2))
            Py_CLEAR(made);
        if (made == NULL) {
            if (!PyErr_Occurred())
                PyErr_SetString(PyExc_SystemError, "a pair is not one");
            return -1;
        }
        pair = made;
    }
    PyObject *one = Py_NewRef(PyTuple_GET_ITEM(pair, 0)), *other = Py_NewRef(PyTuple_GET_ITEM(pair, 1));
    Py_XDECREF(made);
    Py_SETREF(*first, one);
    Py_SETREF(*second, other);
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

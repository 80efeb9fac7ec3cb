/* Loops whose body only reads, decides and writes, run as a program of a few steps.

   A loop is called with the write of a page, what to run over, and the values that its body takes from around it. It
   returns what is left to do: nothing (an empty tuple; None, when there was no item at all), or the items from the
   first one on that it cannot write. Of that one nothing is in the page then; Python does it and all after it, with
   code that says what is wrong and where: but for what has been said already (see left_to_python). A loop of a page in
   chunks returns True when there is enough for one, and is called again with the same iterator.

   The values of a program are in slots: the item, what the loop is called with, what it always has (constants and
   functions), and what its steps make. untor.codegen.bytecode writes the programs, and bytecode_check.c
   checks them. */

#include "interpreter.h"

#define ITEMS_BETWEEN_BREATHS 10000
/* What is left to Python is begun anew there. Where values make pages of their own, each of which has something to leave,
   that would be twice as often at each level: so a loop that had to leave something is not tried for some calls. */
#define CALLS_PASSED 100
/* What an item of a page in chunks may come to; one that is longer is sent while it is written, by Python. */
#define LONGEST_ITEM 64000

typedef struct {
    Loop *loop;
    PyObject **slots;
    Page *page;
    Py_ssize_t most;       /* how long the page may become by one item */
    unsigned items;
    int passes;            /* whether all is left to Python, for one: it was given something that is awaited */
} Run;

/* Let other threads and signals have their turn, as Python does between its instructions. */
static int breathe(void)
{
    Py_BEGIN_ALLOW_THREADS
    Py_END_ALLOW_THREADS
    return PyErr_CheckSignals();
}

/* Put what a step has made into its slot: 1, or what its exception means. */
static inline int put(State *state, PyObject **slot, PyObject *value)
{
    if (value == NULL)
        return left_to_python(state);
    Py_SETREF(*slot, value);
    return 1;
}

static inline int is_awaitable(PyObject *value)
{
    PyAsyncMethods *methods = Py_TYPE(value)->tp_as_async;
    return methods != NULL && methods->am_await != NULL;
}

/* As put, for what may have to be awaited, which Python does. It reads it again: a coroutine that only this has is over. */
static inline int put_found(const Loop *loop, PyObject **slot, PyObject *value)
{
    if (value == NULL || !loop->awaits || !is_awaitable(value))
        return put(loop->state, slot, value);
    int fine = 0;
    if (PyCoro_CheckExact(value) && Py_REFCNT(value) == 1) {
        PyObject *closed = PyObject_CallMethod(value, "close", NULL);
        fine = closed == NULL ? left_to_python(loop->state) : 0;
        Py_XDECREF(closed);
    }
    Py_DECREF(value);
    return fine;
}

/* --- steps --------------------------------------------------------------------------------------------------------- */

static inline PyObject *read_dot(State *state, PyObject *owner, PyObject *name, PyTypeObject **seen)
{
    PyTypeObject *type = Py_TYPE(owner);
    if (type == *seen)
        return PyObject_GetAttr(owner, name);
    if (PyDict_CheckExact(owner))
        return Py_XNewRef(PyDict_GetItemWithError(owner, name));
    int is_direct = state->direct == NULL ? 0 : PySet_Contains(state->direct, (PyObject *)type);
    if (is_direct < 0 || state->slow[DOT] == NULL)
        return NULL;
    if (!is_direct)
        return PyObject_CallFunctionObjArgs(state->slow[DOT], owner, name, NULL);
    Py_XSETREF(*seen, (PyTypeObject *)Py_NewRef(type));
    return PyObject_GetAttr(owner, name);
}

static int write_values(Run *run, const Join *join, const int *from)
{
    PyObject *values[MOST_VALUES];
    Piece pieces[MOST_VALUES];
    Py_ssize_t count = Py_SIZE(join), seen, length;
    Py_UCS4 widest;
    for (Py_ssize_t i = 0; i < count; i++) {
        values[i] = run->slots[from[i]];
        /* What may be missing prints as nothing. */
        if (values[i] == join->state->missing && strchr("tar", join->kinds[i]) != NULL)
            values[i] = Py_None;
    }
    if (write_quickly_to(run->page, join, values))
        return 1;
    int fine = look_at_all(join, values, pieces, &seen, &length, &widest);
    if (fine > 0)
        fine = write_to(run->page, join, pieces, length, widest);
    release_all(pieces, seen);
    return fine;
}

/* Whether a value counts as true: 1 or 0; 2 when Python has to find out; -1. */
static int is_true(State *state, PyObject *value, int as_test)
{
    if (value == Py_True)
        return 1;
    if (value == Py_False || value == Py_None)
        return 0;
    int found, is_plain = 1;
    if (as_test && !is_text(value) && !PyLong_CheckExact(value) && !PyList_CheckExact(value))
        is_plain = state->plain == NULL ? 0 : PySet_Contains(state->plain, (PyObject *)Py_TYPE(value));
    if (is_plain > 0)
        found = PyObject_IsTrue(value);
    else {
        PyObject *asked = is_plain < 0 || state->slow[TRUTH] == NULL ? NULL : PyObject_CallOneArg(state->slow[TRUTH], value);
        found = asked == NULL ? -1 : PyObject_IsTrue(asked);
        Py_XDECREF(asked);
    }
    if (found >= 0)
        return found;
    return left_to_python(state) < 0 ? -1 : 2;
}

/* What a loop runs over; NULL without an exception for what could not be run over again. */
static PyObject *items_of(State *state, PyObject *value, int pairs)
{
    if (!pairs && (PyList_CheckExact(value) || PyTuple_CheckExact(value)))
        return Py_NewRef(value);
    PyObject *function = state->slow[pairs ? PAIRS : EACH];
    return PyIter_Check(value) || function == NULL ? NULL : PyObject_CallOneArg(function, value);
}

static int compare(State *state, PyObject **slots, const int *step)
{
    PyObject *left = slots[step[2]], *right = slots[step[3]];
    int how = step[4], found;
    if (how == IS || how == IS_NOT)
        found = (left == right) == (how == IS);
    else if (how == IN || how == NOT_IN) {
        found = PyIter_Check(right) ? -1 : PySequence_Contains(right, left);
        if (found < 0)
            return left_to_python(state);
        found = found == (how == IN);
    }
    else
        return put(state, slots + step[1], PyObject_RichCompare(left, right, how));
    return put(state, slots + step[1], PyBool_FromLong(found));
}

static PyObject *binary(PyObject *left, PyObject *right, int how)
{
    switch (how) {
    case ADD: return PyNumber_Add(left, right);
    case SUBTRACT: return PyNumber_Subtract(left, right);
    case MULTIPLY: return PyNumber_Multiply(left, right);
    case DIVIDE: return PyNumber_TrueDivide(left, right);
    case FLOOR: return PyNumber_FloorDivide(left, right);
    default: return PyNumber_And(left, right);
    }
}

/* Call a function; NULL without an exception for an argument that could be used up: Python may have to call it again. */
static PyObject *call(PyObject **slots, const int *step)
{
    PyObject *arguments[MOST_SLOTS + 1];
    Py_ssize_t count = step[5], named = 0;
    for (Py_ssize_t i = 0; i < count; i++) {
        arguments[i] = slots[step[6 + i]];
        if (step[4] && PyIter_Check(arguments[i]))
            return NULL;
    }
    PyObject *names = step[3] < 0 ? NULL : slots[step[3]];
    if (names != NULL && PyTuple_CheckExact(names) && PyTuple_GET_SIZE(names) <= count)
        named = PyTuple_GET_SIZE(names);
    else
        names = NULL;
    return PyObject_Vectorcall(slots[step[2]], arguments, (size_t)(count - named), names);
}

static PyObject *pack(PyObject **slots, const int *step)
{
    PyObject *packed = PyTuple_New(step[2]);
    for (int i = 0; packed != NULL && i < step[2]; i++)
        PyTuple_SET_ITEM(packed, i, Py_NewRef(slots[step[3 + i]]));
    return packed;
}

static int steps(Run *run, int at, int end);

/* Do the body of a loop in a loop for each item: 1 when there was one, 2 when there was none; 0 and -1 as steps. */
static int each_item(Run *run, int at)
{
    const int *step = run->loop->code + at;
    PyObject *items = run->slots[step[1]], *iterator = NULL;
    int is_list = PyList_CheckExact(items), is_tuple = PyTuple_CheckExact(items), fine = 2;
    if (!is_list && !is_tuple && (iterator = PyObject_GetIter(items)) == NULL)
        return left_to_python(run->loop->state);
    Py_INCREF(items);
    for (Py_ssize_t i = 0;; i++) {
        PyObject *item = NULL;
        if (is_list)
            item = i < PyList_GET_SIZE(items) ? Py_NewRef(PyList_GET_ITEM(items, i)) : NULL;
        else if (is_tuple)
            item = i < PyTuple_GET_SIZE(items) ? Py_NewRef(PyTuple_GET_ITEM(items, i)) : NULL;
        else if ((item = PyIter_Next(iterator)) == NULL && PyErr_Occurred()) {
            fine = left_to_python(run->loop->state);
            break;
        }
        if (item == NULL)
            break;
        Py_SETREF(run->slots[step[2]], item);
        if (run->loop->awaits && is_awaitable(item)) {
            fine = 0;
            break;
        }
        fine = ++run->items % ITEMS_BETWEEN_BREATHS == 0 && breathe() < 0 ? -1 : steps(run, at + 5, step[3]);
        if (fine > 0 && run->page->length > run->most)
            fine = 0;
        if (fine <= 0)
            break;
    }
    Py_DECREF(items);
    Py_XDECREF(iterator);
    return fine;
}

/* Do the steps from one to another: 1, all is done; 0, Python has to do what they do; -1, with an exception. */
static int steps(Run *run, int at, int end)
{
    Loop *loop = run->loop;
    PyObject **slots = run->slots;
    int fine = 1;
    while (at < end) {
        const int *step = loop->code + at;
        switch (step[0]) {
        case READ:
            fine = put_found(loop, slots + step[1], read_dot(loop->state, slots[step[2]], PyTuple_GET_ITEM(loop->names, step[3]), loop->seen + at));
            at += 4;
            break;
        case WRITE: {
            const Join *join = (Join *)PyTuple_GET_ITEM(loop->joins, step[1]);
            fine = write_values(run, join, step + 2);
            at += 2 + (int)Py_SIZE(join);
            break;
        }
        case TEST: {
            int found = is_true(loop->state, slots[step[1]], step[3]);
            fine = found < 0 ? -1 : found != 2;
            at = found ? at + 4 : step[2];
            break;
        }
        case JUMP:
            at = step[1];
            break;
        case ITEMS:
            fine = put(loop->state, slots + step[1], items_of(loop->state, slots[step[2]], step[3]));
            at += 4;
            break;
        case FOR:
            fine = each_item(run, at);
            at = fine == 2 ? step[3] : step[4];
            break;
        case SPLIT: {
            PyObject *pair = slots[step[1]];
            if (!PyTuple_CheckExact(pair) || PyTuple_GET_SIZE(pair) != 2)
                return 0;
            Py_INCREF(pair);
            Py_SETREF(slots[step[2]], Py_NewRef(PyTuple_GET_ITEM(pair, 0)));
            Py_SETREF(slots[step[3]], Py_NewRef(PyTuple_GET_ITEM(pair, 1)));
            Py_DECREF(pair);
            at += 4;
            break;
        }
        case CALL:
            fine = put_found(loop, slots + step[1], call(slots, step));
            at += 6 + step[5];
            break;
        case COMPARE:
            fine = compare(loop->state, slots, step);
            at += 5;
            break;
        case BINARY:
            fine = put(loop->state, slots + step[1], binary(slots[step[2]], slots[step[3]], step[4]));
            at += 5;
            break;
        case UNARY: {
            PyObject *value = slots[step[2]];
            if (step[3] == NOT) {
                int found = is_true(loop->state, value, 0);
                fine = found < 0 ? -1 : found == 2 ? 0 : put(loop->state, slots + step[1], PyBool_FromLong(!found));
            }
            else
                fine = put(loop->state, slots + step[1], step[3] == MINUS ? PyNumber_Negative(value) : PyNumber_Positive(value));
            at += 4;
            break;
        }
        case COPY:
            fine = put(loop->state, slots + step[1], Py_NewRef(slots[step[2]]));
            at += 3;
            break;
        case ABSENT:
            at = slots[step[1]] == Py_None || slots[step[1]] == loop->state->missing ? step[2] : at + 3;
            break;
        case NEED:
            fine = slots[step[1]] != loop->state->missing;
            at += 2;
            break;
        case PACK:
            fine = put(loop->state, slots + step[1], pack(slots, step));
            at += 3 + step[2];
            break;
        }
        if (fine <= 0)
            return fine;
    }
    return 1;
}

/* --- calling a loop ------------------------------------------------------------------------------------------------ */

/* What is left of the items from one on, which is the next of the iterator's where there is one. */
static PyObject *rest_of(State *state, PyObject *items, PyObject *iterator, PyObject *item, Py_ssize_t number)
{
    if (iterator == NULL)
        return PySequence_GetSlice(items, number, PY_SSIZE_T_MAX);
    if (state->slow[REST] == NULL) {
        PyErr_SetString(PyExc_RuntimeError, "rest is not installed");
        return NULL;
    }
    return PyObject_CallFunctionObjArgs(state->slow[REST], item, iterator, NULL);
}

static PyObject *run_all(Run *run, PyObject *items)
{
    Loop *loop = run->loop;
    Page *page = run->page;
    PyObject *iterator = NULL, *result = NULL;
    int is_list = PyList_CheckExact(items), is_tuple = PyTuple_CheckExact(items);
    if (!is_list && !is_tuple && (iterator = PyObject_GetIter(items)) == NULL)
        return NULL;
    Py_ssize_t i = 0;
    for (;; i++) {
        PyObject *item = NULL;
        if (is_list)
            item = i < PyList_GET_SIZE(items) ? Py_NewRef(PyList_GET_ITEM(items, i)) : NULL;
        else if (is_tuple)
            item = i < PyTuple_GET_SIZE(items) ? Py_NewRef(PyTuple_GET_ITEM(items, i)) : NULL;
        else
            item = PyIter_Next(iterator);
        if (item == NULL) {
            if (!PyErr_Occurred())
                result = i ? PyTuple_New(0) : Py_NewRef(Py_None);
            break;
        }
        Py_SETREF(run->slots[0], item);
        if (++run->items % ITEMS_BETWEEN_BREATHS == 0 && breathe() < 0)
            break;
        Py_ssize_t before = page->length;
        Py_UCS4 widest = widest_of(page);
        run->most = loop->chunks ? before + LONGEST_ITEM : PY_SSIZE_T_MAX;
        int passes = run->passes || (loop->awaits && is_awaitable(item));
        int fine = passes ? 0 : steps(run, 0, (int)Py_SIZE(loop));
        if (fine == 0 && !passes)
            loop->passes = CALLS_PASSED;
        if (fine > 0 && loop->chunks && page->length >= SHORTEST_CHUNK) {
            result = Py_NewRef(Py_True);
            break;
        }
        if (fine > 0)
            continue;
        if (fine == 0 && page_cut(page, before, widest) == 0)
            result = rest_of(loop->state, items, iterator, run->slots[0], i);
        break;
    }
    Py_XDECREF(iterator);
    return result;
}

PyObject *loop_call(Loop *self, PyObject *const *arguments, Py_ssize_t count)
{
    if (count != self->given + 2) {
        PyErr_Format(PyExc_TypeError, "this takes a page, items and %d values", self->given);
        return NULL;
    }
    Run run = {self, NULL, page_of(arguments[0]), 0, 0, self->passes > 0};
    if (run.page == NULL || self->kept == NULL || (self->chunks && !PyIter_Check(arguments[1]))) {
        PyErr_SetString(PyExc_TypeError, "this takes the write of a page, and, for chunks, an iterator");
        return NULL;
    }
    self->passes -= run.passes;
    PyObject *slots[MOST_SLOTS];
    run.slots = slots;
    int at = 0;
    slots[at++] = Py_NewRef(Py_None);
    for (Py_ssize_t i = 2; i < count; i++)
        slots[at++] = Py_NewRef(arguments[i]);
    for (Py_ssize_t i = 0; i < PyTuple_GET_SIZE(self->kept); i++)
        slots[at++] = Py_NewRef(PyTuple_GET_ITEM(self->kept, i));
    for (int i = 1; i < at && self->awaits; i++)
        run.passes |= is_awaitable(slots[i]);
    while (at < self->slots)
        slots[at++] = Py_NewRef(Py_None);
    PyObject *result = run_all(&run, arguments[1]);
    while (at)
        Py_DECREF(slots[--at]);
    return result;
}

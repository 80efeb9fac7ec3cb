/* The steps of programs, one after another.

   A step does what the same template's code in Python does, and calls the same functions for whatever is not most common; it
   is never done twice. A page in chunks, or one that awaits, is left at a step and goes on there. */

#include "calls.h"
#include "loops.h"
#include "simple.h"

#define ITEMS_BETWEEN_TURNS 10000

/* Let other threads and signals have their turn, as Python does between its instructions. */
static int breathe(void)
{
    Py_BEGIN_ALLOW_THREADS
    Py_END_ALLOW_THREADS
    return PyErr_CheckSignals();
}

/* --- waiting --------------------------------------------------------------------------------------------------------- */

/* Let the values of a step that can be awaited be so, all at once: how many there are. */
static int wait_for(Run *run, const Join *join, const int *operands, PyObject **slots)
{
    run->waits = 0;
    for (int i = 0; i < join->count; i++) {
        if (operands[i] < 0 || join->kinds[i] == '=' || !is_awaitable(slots[operands[i]]))
            continue;
        int is_there = 0;
        for (int each = 0; each < run->waits; each++)
            is_there |= run->waiting[each] == slots + operands[i];
        if (!is_there)
            run->waiting[run->waits++] = slots + operands[i];
    }
    return run->waits;
}

PyObject *run_awaited(Run *run)
{
    if (run->waits == 1)
        return Py_NewRef(*run->waiting[0]);
    PyObject *all = PyList_New(run->waits);
    for (int i = 0; all != NULL && i < run->waits; i++)
        PyList_SET_ITEM(all, i, Py_NewRef(*run->waiting[i]));
    return all;
}

int run_take(Run *run, PyObject *values)
{
    if (run->waits > 1 && (!PyList_CheckExact(values) || PyList_GET_SIZE(values) != run->waits)) {
        PyErr_SetString(PyExc_ValueError, "there are as many values as were awaited");
        return -1;
    }
    for (int i = 0; i < run->waits; i++)
        Py_SETREF(*run->waiting[i], Py_NewRef(run->waits == 1 ? values : PyList_GET_ITEM(values, i)));
    run->awaited = run->waits > 0 && run->again;
    run->waits = run->again = 0;
    return 0;
}

int run_end_items(Run *run)
{
    const int *step = run->program->code + run->which;
    if (run->waits != 1 || step[0] != NEXT || run->at != run->which + 4
        || run->environment->loops[step[1]].kind != OF_ASYNC)
        return 0;
    Py_SETREF(*run->waiting[0], Py_NewRef(Py_None));
    end_items(run->environment->loops + step[1]);
    run->waits = 0;
    run->at = step[3];
    return 1;
}

/* --- all steps ------------------------------------------------------------------------------------------------------- */

/* Leave the page until the value of a slot has been awaited, if it is to be. */
#define WAIT_HERE(slot, wait, next)                                  \
    if (run->awaits && (wait) && is_awaitable(*(slot))) {            \
        run->waiting[0] = (slot);                                    \
        run->waits = 1;                                              \
        run->again = (next) == at && step == code + at;              \
        run->at = (next);                                            \
        return WAITING;                                              \
    }

static int tell_report(void *run, int number)
{
    return run_report(run, ((Run *)run)->at + 2 + number);
}

static int do_steps(Run *run)
{
    const Program *program = run->program;
    const int *code = program->code;
    State *state = program->state;
    PyObject *constants = program->constants, *missing = state->missing;
    PyObject **slots = run->environment->slots;
    int at = run->at;
    for (;;) {
        const int *step = code + at;
        switch (step[0]) {
        case WRITE: {
            const Join *join = program->joins + step[1];
            if (run->awaits && !run->awaited && wait_for(run, join, step + 2, slots)) {
                run->again = 1;
                run->at = at;
                return WAITING;
            }
            run->awaited = 0;
            PyObject *values[MOST_VALUES];
            for (int i = 0; i < join->count; i++)
                values[i] = VALUE(step[2 + i]);
            if (!write_quickly_to(&run->page, join, values)) {
                run->at = at;
                int failed = write_values(&run->page, join, values, tell_report, run);
                if (failed >= 0) {
                    run->which = at + 2 + failed;
                    return BROKEN;
                }
            }
            at += 2 + join->count;
            break;
        }
        case READ:
        case READ_DATA: {
            PyObject *owner = VALUE(step[2]), *name = PyTuple_GET_ITEM(program->names, step[3]);
            Seen *seen = program->seen + step[4] / 2;
            PyObject *value = read_dot(state, owner, name, seen);
            if (step[0] == READ_DATA)
                value = only_data(state, owner, name, value);
            if (put(slots + step[1], value) < 0)
                goto broken;
            at += 5;
            WAIT_HERE(slots + step[1], step[4] & 1, at)
            break;
        }
        case READ_ITEM:
            if (put(slots + step[1], read_item(state, VALUE(step[2]), VALUE(step[3]))) < 0)
                goto broken;
            at += 5;
            WAIT_HERE(slots + step[1], step[4], at)
            break;
        case NEED:
            if (compute(run, slots + step[1]) < 0)
                goto broken;
            if (step[2] >= 0 && slots[step[1]] == missing) {
                raise_missing(run, step[2], step[3], VALUE(step[4]));
                goto broken;
            }
            at += 6;
            WAIT_HERE(slots + step[1], step[5], at)
            break;
        case INPUT: {
            PyObject **input = run->root->slots + step[2];
            if (compute(run, input) < 0)
                goto broken;
            if (step[3] >= 0 && *input == missing) {
                raise_missing(run, step[3], OF_SCOPE, NULL);
                goto broken;
            }
            if (!run->awaited)
                WAIT_HERE(input, step[4], at)
            run->awaited = 0;
            Py_SETREF(slots[step[1]], Py_NewRef(*input));
            at += 5;
            break;
        }
        case COPY:
            Py_SETREF(slots[step[1]], Py_NewRef(VALUE(step[2])));
            at += 3;
            break;
        case TEST: {
            int found = is_true(state, VALUE(step[1]));
            if (found < 0)
                goto broken;
            at = found ? at + 3 : step[2];
            break;
        }
        case ABSENT: {
            int found = is_absent(state, VALUE(step[1]));
            if (found < 0)
                goto broken;
            at = found ? step[2] : at + 3;
            break;
        }
        case GIVEN:
            at = VALUE(step[1]) != missing ? step[2] : at + 3;
            break;
        case ITEMS: {
            Cursor *cursor = run->environment->loops + step[1];
            PyObject *value = VALUE(step[2]);
            int begun = 0;
            if (run->awaited) {
                run->awaited = 0;
                value = cursor->items;
            }
            else if (run->awaits && (begun = begin_async(run, cursor, value, step[3])) != 0) {
                if (begun < 0)
                    goto broken;
                if (begun == 2) {
                    run->waiting[0] = &cursor->items;
                    run->waits = run->again = 1;
                    run->at = at;
                    return WAITING;
                }
            }
            if (!begun) {
                Py_INCREF(value);
                int fine = begin_items(state, cursor, value, step[3], step[4]);
                Py_DECREF(value);
                if (fine < 0)
                    goto broken;
            }
            at += 5;
            break;
        }
        /* The end of a loop's body, and its next item, which most often follow one another. */
        case SEND:
            at += 2;
            if (run->chunks && run->collected == NULL && run->page.length >= (step[1] ? 1 : SHORTEST_CHUNK)) {
                run->at = at;
                return CHUNK;
            }
            step = code + at;
            if (step[0] != JUMP)
                break;
            /* fall through */
        case JUMP:
            at = step[1];
            step = code + at;
            if (step[0] != NEXT)
                break;
            /* fall through */
        case NEXT: {
            Cursor *cursor = run->environment->loops + step[1];
            if (++run->turns % ITEMS_BETWEEN_TURNS == 0) {
                if (run->awaits) {
                    run->at = at;
                    return TURN;
                }
                if (breathe() < 0)
                    goto broken;
            }
            PyObject *item = next_item(cursor);
            if (item == NULL) {
                if (PyErr_Occurred())
                    goto broken;
                end_items(cursor);
                at = step[3];
                break;
            }
            Py_SETREF(slots[step[2]], item);
            run->which = at;
            at += 4;
            WAIT_HERE(slots + step[2], 1, at)
            break;
        }
        case COUNT:
            run->environment->loops[step[1]].count++;
            at += 2;
            break;
        case EMPTY:
            at = run->environment->loops[step[1]].count ? step[2] : at + 3;
            break;
        case SPLIT: {
            /* Only what a NEXT right before this has taken is an item of a loop; its number is for the message. */
            int is_item = run->which == at - 4 && code[run->which] == NEXT;
            Py_ssize_t number = is_item ? run->environment->loops[code[run->which + 1]].at : 1;
            if (split(state, VALUE(step[1]), number, slots, step + 3, step[2]) < 0)
                goto broken;
            at += 3 + step[2];
            break;
        }
        case POSITION:
            if (put(slots + step[1], position(run->environment->loops + step[2], step[3])) < 0)
                goto broken;
            at += 4;
            break;
        case CALL:
            if (put(slots + step[1], call(slots, constants, step)) < 0)
                goto broken;
            if (state->reports != NULL && PyList_GET_SIZE(state->reports) && run_report(run, at) < 0)
                goto broken;
            at += 6 + step[5];
            WAIT_HERE(slots + step[1], step[4], at)
            break;
        case SIMPLE: {
            PyObject *written = simply(VALUE(step[2]), step[4], VALUE(step[3]) == Py_True);
            if (written == NULL && PyErr_Occurred())
                goto broken;
            at = written == NULL ? at + 6 : step[5];
            if (written != NULL)
                Py_XSETREF(slots[step[1]], written);
            break;
        }
        case CALLEE:
            if (put(slots + step[1], callee(program, VALUE(step[2]), VALUE(step[3]))) < 0)
                goto broken;
            at += 4;
            break;
        case CHECK:
            if (!is_of_kind(slots[step[1]], step[6])
                && put(slots + step[1], PyObject_CallFunctionObjArgs(VALUE(step[2]), slots[step[1]], VALUE(step[3]), VALUE(step[4]),
                                                                     VALUE(step[5]), NULL)) < 0)
                goto broken;
            at += 7;
            break;
        case COMPARE:
            if (put(slots + step[1], compare(state, VALUE(step[2]), VALUE(step[3]), step[4])) < 0)
                goto broken;
            at += 5;
            break;
        case BINARY:
            if (put(slots + step[1], binary(VALUE(step[2]), VALUE(step[3]), step[4])) < 0)
                goto broken;
            at += 5;
            break;
        case UNARY:
            if (put(slots + step[1], unary(state, VALUE(step[2]), step[3])) < 0)
                goto broken;
            at += 4;
            break;
        case PACK:
            if (put(slots + step[1], pack(slots, constants, step)) < 0)
                goto broken;
            at += 4 + step[3];
            break;
        case ADD:
            if (PyList_Append(VALUE(step[1]), VALUE(step[2])) < 0)
                goto broken;
            at += 3;
            break;
        case PRINT: {
            PyObject *value = VALUE(step[2]);
            if (put(slots + step[1], is_text(value) ? Py_NewRef(value) : slowly(state, PRINTED, value, NULL, NULL)) < 0)
                goto broken;
            at += 3;
            break;
        }
        case ENTER:
            if ((++run->turns % ITEMS_BETWEEN_TURNS == 0 && breathe() < 0) || run_enter(run, step, at) < 0)
                goto broken;
            at = program->functions[step[1]].entry;
            slots = run->environment->slots;
            break;
        case LEAVE:
            at = run_leave(run);
            if (at < 0)
                return DONE;
            slots = run->environment->slots;
            break;
        case CONTENT: {
            Content content = {run->environment, at + 5, step[2], step[3]};
            run->environment->contents[step[1]] = content;
            at = step[4];
            break;
        }
        case SLOT: {
            int entry = run_enter_content(run, step, at);
            if (entry < 0)
                goto broken;
            at = entry;
            slots = run->environment->slots;
            break;
        }
        case COLLECT:
            Py_CLEAR(run->collected);
            if (step[2]) {
                if (put(slots + step[1], PyList_New(0)) < 0)
                    goto broken;
                run->collected = Py_NewRef(slots[step[1]]);
            }
            at += 3;
            break;
        case PIECE:
            if (run->collected == NULL)
                PyErr_SetString(PyExc_SystemError, "no URL is collected");
            if (run->collected == NULL || PyList_Append(run->collected, VALUE(step[1])) < 0)
                goto broken;
            at += 2;
            break;
        case NONCE:
            if (put(slots + step[1], nonce_of(run)) < 0)
                goto broken;
            at += 2;
            break;
        default:
            PyErr_SetString(PyExc_SystemError, "there is no such step");
            goto broken;
        }
    }
broken:
    run->at = run->which = at;
    return BROKEN;
}

/* How many programs are going on in this thread, one called by another. */
static THREAD_LOCAL int going_on;

int run_on(Run *run)
{
    going_on++;
    int state = do_steps(run);
    going_on--;
    return state;
}

int is_in_program(void) { return going_on > 0; }

"""All that a machine needs to follow code, set together."""

from __future__ import annotations

from protypon.core.analysis import (
    asking,
    calls,
    classes,
    finishing,
    functions,
    going,
    inheriting,
    methods,
    objects,
    operators,
    outside,
    raising,
    records,
    statements,
    streams,
)
from protypon.core.analysis.effects import EFFECTS
from protypon.core.analysis.expressions import value
from protypon.core.analysis.machine import Following

FOLLOWING = Following(
    effects=EFFECTS,
    block=statements.block,
    value=value,
    call=calls.call,
    closure_of=calls.closure_of,
    bind=functions.bind,
    returned=functions.returned,
    declare=functions.declare,
    declare_class=classes.declare,
    method=methods.method,
    method_called=methods.method_called,
    of_class=methods.of_class,
    without_method=methods.without_method,
    begun=streams.begun,
    lose=streams.lose,
    spare=streams.spare,
    steps=going.steps,
    every=going.items,
    lose_names=outside.lose_names,
    check_class=inheriting.check,
    hoist_class=classes.hoist,
    hand_out=outside.hand_out,
    may_be_called=outside.may_be_called,
    any_constructor=outside.any_constructor,
    described=classes.described,
    call_method=objects.call_method,
    truth_of=objects.truth_of,
    fail=raising.fail,
    text_of=operators.text,
    members_of=classes.members_of,
    record_of=records.record_of,
    begin_record=records.begin,
    is_frozen=records.is_frozen,
    is_callable=asking.is_callable,
    finished=finishing.finished,
    attribute=objects.attribute,
)

"""Trying the rules for articles while they are written."""

from django.urls import path
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.trials.api.common import EditsRulebook
from gannet.upkeep import ruling, shapes
from gannet.web.base import GannetView
from gannet.web.errors import Invalid
from gannet.web.shape import given
from gannet_core.article_rules import FIELDS
from gannet_core.conditions import check
from gannet_core.errors import ConditionError

_MOST_SHOWN = 8


class RuleFitsView(GannetView):
    """Which articles a rule's condition is true of now."""

    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="articles_a_rule_fits",
        request=shapes.RuleIfShape,
        responses=shapes.RuleFitsShape,
    )
    def post(self, request: Request) -> Response:
        tree = given(shapes.RuleIfShape, request)["if"]
        try:
            check(tree, FIELDS)
        except ConditionError as error:
            raise Invalid(f"{error}.", fields={"if": str(error)}) from error
        found = ruling.fitting(tree)
        lines = [{"id": one.pk, "title": one.title} for one in found[:_MOST_SHOWN]]
        return Response({"count": len(found), "articles": lines})


urlpatterns = [path("api/articles/rule-fits", RuleFitsView.as_view())]

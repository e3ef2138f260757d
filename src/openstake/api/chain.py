"""Routes of the chain: the state of a job in one call, its front page, its budget, findings answered."""

from __future__ import annotations

from openstake.api.common import Api, Nothing
from openstake.workflow.chain import answers, budget, page
from openstake.workflow.chain import steps as steps_of
from openstake.workflow.context import Context


def chain_routes(api: Api, context: Context) -> None:
    """Add the routes."""

    @api.get("/jobs/<job_id>/steps", "chain")
    def steps(job_id: str) -> steps_of.Steps:
        """Say the state of each step and link, and what is open."""
        return steps_of.view(context, job_id)

    @api.get("/jobs/<job_id>/chain", "chain")
    def chain_page(job_id: str) -> page.ChainView:
        """Show the chain: its links, the weakest, what to do next, the budget, what is open, the morning."""
        return page.page(context, job_id)

    @api.post("/jobs/<job_id>/budget/try", "chain")
    def try_budget(job_id: str, json: budget.BudgetRequest) -> budget.BudgetShown:
        """Say how good a point would be with some changes, and what reaches a need; store nothing."""
        return budget.try_budget(context, job_id, json)

    @api.post("/jobs/<job_id>/budget/over", "chain")
    def budget_over(job_id: str, json: budget.BudgetRequest) -> budget.BudgetOver:
        """Say how good a point would be at each mark and between them; store nothing."""
        return budget.budget_over(context, job_id, json)

    @api.get("/jobs/<job_id>/budget/settings", "chain")
    def budget_settings(job_id: str) -> budget.BudgetForm:
        """Show what the job takes for each link where nothing better is known."""
        return budget.budget_form(context, job_id)

    @api.post("/jobs/<job_id>/budget/settings", "chain")
    def save_budget_settings(job_id: str, json: budget.SaveBudget) -> budget.BudgetForm:
        """Change what the job takes for each link."""
        return budget.save_budget(context, job_id, json)

    @api.post("/jobs/<job_id>/findings/answer", "chain")
    def answer_finding(job_id: str, json: answers.AnswerRequest) -> Nothing:
        """Keep an answer to a finding, with name and time."""
        answers.answer(context, job_id, json)
        return Nothing()

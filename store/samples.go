package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"
)

// MarkSample marks a person, unit, job or customer as a sample; the table is
// one of ours.
func MarkSample(ctx context.Context, q Q, table string, id uuid.UUID) error {
	_, err := q.ExecContext(ctx, `update `+table+` set sample = true where id = $1`, id)
	return err
}

// Samples counts the sample people and jobs.
func Samples(ctx context.Context, q Q) (people, jobs int, err error) {
	err = q.QueryRowxContext(ctx,
		`select (select count(*) from person where sample), (select count(*) from job where sample)`).Scan(&people, &jobs)
	return people, jobs, err
}

// KeepRealHours takes the mark off sample jobs, and their customers, that
// somebody real has hours or shifts on: those stay.
func KeepRealHours(ctx context.Context, q Q) error {
	if _, err := q.ExecContext(ctx, `
		update job j set sample = false where sample and exists (
		    select 1 from (select employment_id, job_id from punch union all select employment_id, job_id from shift
		                   union all select employment_id, job_id from amendment union all select employment_id, job_id from request) x
		    where x.job_id = j.id and x.employment_id not in `+sampleEmployments+`)`); err != nil {
		return fmt.Errorf("keep jobs with real hours: %w", err)
	}
	_, err := q.ExecContext(ctx, `update customer c set sample = false where sample
		and exists (select 1 from job where customer_id = c.id and not sample)`)
	return err
}

// RealInSampleUnit gives the name of somebody who is no sample and belongs to
// a sample crew; "" when there is nobody.
func RealInSampleUnit(ctx context.Context, q Q) (string, error) {
	var name string
	err := q.GetContext(ctx, &name, `
		select coalesce((select p.given_name || ' ' || p.family_name from person p join employment e on e.person_id = p.id
		join unit u on u.id = e.unit_id
		                 where u.sample and not p.sample order by p.family_name limit 1), '')`)
	return name, err
}

// samplePeople and sampleJobs pick what belongs to samples.
const (
	sampleEmployments = `(select e.id from employment e join person p on p.id = e.person_id where p.sample)`
	samplePeople      = `(select id from person where sample)`
	sampleJobs        = `(select id from job where sample)`
	sampleUnits       = `(select id from unit where sample)`
)

// DropSamples deletes all samples with everything recorded of them.
func DropSamples(ctx context.Context, q Q) error {
	for _, table := range []string{"place_seen", "claim_answer", "claim", "request_answer", "request",
		"objection_answer", "objection", "amendment", "card_hold", "card_act", "note", "photo", "settled_expense", "expense_back",
		"expense", "borrowed", "not_there", "reported", "day_said", "card", "hours", "stint", "punch", "shift", "planned",
		"planned_change", "shift_agreed", "shift_told", "opening_ask", "shift_series",
		"leave_day", "leave_line", "leave_gift", "leave_photo", "leave_account", "leave_adjustment", "leave_act",
		"leave_request_day", "leave_request",
		"rate", "pattern", "employment_class", "employment_job"} {
		if err := drop(ctx, q, table, `employment_id in `+sampleEmployments); err != nil {
			return err
		}
	}
	if err := drop(ctx, q, "leave_gift", `to_employment in `+sampleEmployments); err != nil {
		return err
	}
	if err := drop(ctx, q, "leave_window", `unit_id in `+sampleUnits); err != nil {
		return err
	}
	for _, table := range []string{"quantity", "job_kind_was", "job_tag", "job_wage", "job_open_to", "pay_code", "employment_job"} {
		if err := drop(ctx, q, table, `job_id in `+sampleJobs); err != nil {
			return err
		}
	}
	for _, table := range []string{"notice_way", "notice", "message", "notice_choice", "plan_feed", "change", "person_tag", "ask",
		"own_value", "badge",
		"grant_given", "unit_lead", "sign_in_link", "list_view",
		"pay_code", "job_open_to"} {
		if err := drop(ctx, q, table, `person_id in `+samplePeople); err != nil {
			return err
		}
	}
	for _, step := range []struct{ table, where string }{
		{"task", `job_id in ` + sampleJobs}, {"job", `sample`}, {"customer_link", `customer_id in (select id from customer where sample)`},
		{"employment", `person_id in ` + samplePeople}, {"person", `sample`},
		{"unit_lead", `unit_id in ` + sampleUnits}, {"job_open_to", `unit_id in ` + sampleUnits},
		{"grant_given", `unit_id in ` + sampleUnits}, {"borrowed", `unit_id in ` + sampleUnits}, {"quantity", `unit_id in ` + sampleUnits},
		{"day_field", `unit_id in ` + sampleUnits},
		{"opening_ask", `opening_id in (select id from opening where unit_id in ` + sampleUnits + `)`},
		{"opening", `unit_id in ` + sampleUnits}, {"usual_week", `unit_id in ` + sampleUnits},
		{"unit", `sample`},
		{"customer", `sample and not exists (select 1 from job where customer_id = customer.id)`},
	} {
		if err := drop(ctx, q, step.table, step.where); err != nil {
			return err
		}
	}
	return nil
}

func drop(ctx context.Context, q Q, table, where string) error {
	if _, err := q.ExecContext(ctx, `delete from `+table+` where `+where); err != nil {
		return fmt.Errorf("take samples out of %s: %w", table, err)
	}
	return nil
}

package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/google/uuid"
)

// aboutPerson are the tables that say something of somebody, with the column that
// names them or one of their employments, and the columns that nobody is given:
// they open doors.
var aboutPerson = []struct{ table, person, employment, secret string }{
	{table: "person", person: "id", secret: "password_hash, pin_hash, code_secret"},
	{table: "employment", person: "person_id"}, {table: "audit", person: "person_id"},
	{table: "ask", person: "person_id"}, {table: "badge", person: "person_id", secret: "card_hash"},
	{table: "change", person: "person_id"}, {table: "device", person: "person_id", secret: "token_hash, end_hash"},
	{table: "finding", person: "person_id"}, {table: "grant_given", person: "person_id"}, {table: "job_open_to", person: "person_id"},
	{table: "list_view", person: "person_id"}, {table: "looked", person: "person_id"}, {table: "own_value", person: "person_id"},
	{table: "pay_code", person: "person_id"}, {table: "person_tag", person: "person_id"},
	{table: "sign_in_link", person: "person_id", secret: "token_hash"}, {table: "unit_lead", person: "person_id"},
	{table: "plan_feed", person: "person_id", secret: "token_hash"}, {table: "notice", person: "person_id"}, {table: "notice_way",
		person: "person_id"}, {table: "notice_choice", person: "person_id"},
	{table: "message", person: "person_id"}, {table: "net_pay", person: "person_id"},
	{table: "pay_account", person: "person_id", secret: "sealed"},
	{table: "phone_call", person: "person_id"}, {table: "pin_ask", person: "person_id"}, {table: "pin_try", person: "person_id"},
	{table: "amendment", employment: "employment_id"}, {table: "card", employment: "employment_id"},
	{table: "card_act", employment: "employment_id"}, {table: "card_hold", employment: "employment_id"},
	{table: "claim", employment: "employment_id"}, {table: "claim_answer", employment: "employment_id"},
	{table: "employment_class", employment: "employment_id"}, {table: "employment_job", employment: "employment_id"},
	{table: "hours", employment: "employment_id"}, {table: "leave_day", employment: "employment_id"},
	{table: "leave_request", employment: "employment_id"}, {table: "leave_request_day", employment: "employment_id"},
	{table: "leave_act", employment: "employment_id"}, {table: "leave_account", employment: "employment_id"},
	{table: "leave_adjustment", employment: "employment_id"}, {table: "leave_line", employment: "employment_id"},
	{table: "leave_photo", employment: "employment_id"}, {table: "leave_gift", employment: "employment_id"},
	{table: "year_before", employment: "employment_id"},
	{table: "expense", employment: "employment_id"}, {table: "expense_back", employment: "employment_id"},
	{table: "photo", employment: "employment_id"}, {table: "settled_expense", employment: "employment_id"},
	{table: "note", employment: "employment_id"}, {table: "objection", employment: "employment_id"},
	{table: "objection_answer", employment: "employment_id"}, {table: "pattern", employment: "employment_id"},
	{table: "run_taken_back", employment: "employment_id"}, {table: "own_run_person", employment: "employment_id"},
	{table: "pay_adjustment", employment: "employment_id"}, {table: "pay_differential_of", employment: "employment_id"},
	{table: "run_person", employment: "employment_id"}, {table: "run_answer", employment: "employment_id"},
	{table: "run_check_person", employment: "employment_id"}, {table: "spent_stint", employment: "employment_id"},
	{table: "spent_expense", employment: "employment_id"},
	{table: "pay_line", employment: "employment_id"}, {table: "place_seen", employment: "employment_id"},
	{table: "punch", employment: "employment_id"}, {table: "rate", employment: "employment_id"},
	{table: "request", employment: "employment_id"}, {table: "request_answer", employment: "employment_id"},
	{table: "reported", employment: "employment_id"}, {table: "day_said", employment: "employment_id"}, {table: "borrowed",
		employment: "employment_id"}, {table: "not_there",
		employment: "employment_id"},
	{table: "settled_stint", employment: "employment_id"}, {table: "shift", employment: "employment_id"},
	{table: "planned", employment: "employment_id"}, {table: "planned_change", employment: "employment_id"},
	{table: "shift_told", employment: "employment_id"}, {table: "shift_agreed", employment: "employment_id"},
	{table: "task_person", employment: "employment_id"}, {table: "opening_ask", employment: "employment_id"},
	{table: "opening", employment: "from_employment"}, {table: "shift_series", employment: "employment_id"},
	{table: "stint", employment: "employment_id"}, {table: "terms", employment: "employment_id"},
}

// NotAboutPerson are the tables that name a person and say nothing of them but that
// they have a secret.
func NotAboutPerson() []string { return []string{"recovery_code"} }

// TablesAbout lists the tables that say something of somebody.
func TablesAbout() []string {
	names := make([]string, len(aboutPerson))
	for i, t := range aboutPerson {
		names[i] = t.table
	}
	return names
}

// Everything is all rows that say something of somebody, by table; and what the ids
// of jobs, tasks, sites, crews and fields in them stand for.
type Everything struct {
	Tables map[string]json.RawMessage `json:"tables"`
	Names  map[uuid.UUID]string       `json:"names"`
}

// ReadEverything reads that; secrets are left out.
func ReadEverything(ctx context.Context, q Q, person uuid.UUID) (*Everything, error) {
	e := &Everything{Tables: map[string]json.RawMessage{}, Names: map[uuid.UUID]string{}}
	for _, t := range aboutPerson {
		mine := t.person + ` = $1`
		if t.employment != "" {
			mine = t.employment + ` in (select id from employment where person_id = $1)`
		}
		if t.table == "audit" {
			mine += ` or t.about = $1`
		}
		row := `to_jsonb(t)`
		for name := range strings.SplitSeq(t.secret, ", ") {
			row += ` - '` + name + `'`
		}
		var rows []byte
		if err := q.GetContext(ctx, &rows, `select coalesce(jsonb_agg(`+row+`), '[]') from `+t.table+` t where t.`+mine,
			person); err != nil {
			return nil, fmt.Errorf("read everything about somebody: %s: %w", t.table, err)
		}
		e.Tables[t.table] = rows
	}
	names, err := listNamed(ctx, q, `
		select id, number || ' ' || name as name from job union all select id, name from task union all select id, name from site
		union all select id, name from unit union all select id, name from own_field union all select id, name from classification`)
	if err != nil {
		return nil, err
	}
	all := ""
	for _, rows := range e.Tables {
		all += string(rows)
	}
	for _, n := range names {
		if strings.Contains(all, n.ID.String()) {
			e.Names[n.ID] = n.Name
		}
	}
	return e, nil
}

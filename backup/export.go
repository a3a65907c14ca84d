package backup

import (
	"archive/zip"
	"context"
	"encoding/json"
	"io"
	"strings"
	"time"

	"manudex/store"
)

// tableWords says what each table of an export holds.
var tableWords = map[string]string{
	"amendment":           "Corrections laid over punches: which, by whom, when and why; one may take another back",
	"audit":               "Everything that was done: when, by whom, by which act, about whom",
	"audit_leaf":          "The digest of each row of the audit list as it was sealed",
	"audit_seal":          "The seals of the audit list: batches, each with a digest that takes in the one before",
	"badge":               "Badges, by the person who has them",
	"card":                "A person's worked day: what it adds up to, its plan, and where it stands",
	"card_act":            "What was done with cards: signed, approved, sent back, taken back, paid",
	"card_hold":           "Who has a card in hand",
	"change":              "Changes of settings of people: from what, to what, from which day on, by whom",
	"checked":             "What the nightly check found",
	"claim":               "Punches that count only once somebody else has taken them",
	"claim_answer":        "What became of claims",
	"classification":      "Work classifications of wage determinations",
	"code_order":          "In which order owners are asked for a pay code, from a date on",
	"company":             "The settings of the place: one row",
	"cost_code":           "Cost codes of tasks",
	"customer":            "Customers of jobs",
	"customer_link":       "To whom outside hours were shown, and until when",
	"employment":          "A person's position: where, from when to when, and how they clock",
	"employment_class":    "Classifications that somebody works in",
	"employment_job":      "Jobs that somebody may clock to, where not all",
	"figures":             "Thresholds of flags, from a date on",
	"finding":             "What is looked for often, by name",
	"grant_given":         "Rights that were given, and taken",
	"holiday":             "Holidays",
	"hours":               "Seconds by day, person, job and kind: what sums are made of, derived from stints",
	"import":              "Files that were brought in",
	"import_head":         "What columns of files were taken for last",
	"import_progress":     "How far a file is",
	"job":                 "Jobs",
	"job_kind":            "Kinds of jobs, with the tasks that new ones get",
	"job_kind_was":        "Of which kind a job was before",
	"job_open_to":         "To whom a job is open, where not to all",
	"job_tag":             "Tags that a job needs",
	"job_wage":            "Wage determinations of jobs by classification, from a date on",
	"leave_policy":        "How leave of a kind is earned and kept",
	"leave_account":       "Who has which policy of leave",
	"leave_adjustment":    "Hours of leave that were granted, or put right",
	"leave_gift":          "Leave that somebody gives a colleague",
	"leave_line":          "The ledger of leave as it is booked",
	"leave_photo":         "Pictures of papers with requests for leave",
	"leave_window":        "Days on which nobody takes leave, or that are to be thought of",
	"leave_kind":          "Kinds of leave",
	"leave_request":       "Leave that people asked for",
	"leave_request_day":   "The days of it",
	"leave_act":           "What became of it",
	"leave_day":           "Days of leave, in seconds",
	"notice":              "What people were told of",
	"notice_way":          "By which ways that left the house",
	"notice_choice":       "By which ways somebody wants to be told, by kind",
	"message":             "Mail and text messages, and what became of them",
	"list_view":           "Columns that somebody chose for a list",
	"looked":              "When somebody last looked",
	"note":                "Remarks on cards",
	"phone_call":          "Calls that a phone line took, what was done and the note that was left",
	"pin_ask":             "Who asks for a new PIN, and at which clock point",
	"pin_try":             "Wrong PINs that were typed for somebody since a right one",
	"borrowed":            "Who was on another crew’s sheet, and when",
	"not_there":           "Who didn’t come, as somebody says",
	"quantity":            "How much a crew did of what is counted",
	"reported":            "How long somebody was at work on something, as they report",
	"day_field":           "What is asked of days beside the hours",
	"day_said":            "What was said of them",
	"expense":             "What people spent at work, on a card",
	"expense_back":        "Expenses that were taken back, with why",
	"settled_expense":     "Expenses as they were paid, while a change of their card waits",
	"photo":               "Photos on cards",
	"objection":           "What people say against changes of their hours",
	"objection_answer":    "What was answered",
	"own_field":           "Fields of people that the company made",
	"own_value":           "Their values",
	"pattern":             "Working patterns from a date on: seconds by weekday, Sunday first, and from when to when",
	"pay_code":            "Pay codes by who names them, from a date on",
	"pay_line":            "Lines of closed pay runs: what was paid",
	"run_person":          "Whom a closed run paid or left out and why, and what their pay was worked out from",
	"run_answer":          "What was said of hours that nobody had approved",
	"run_check":           "Who looked a run over, and when",
	"run_check_person":    "Each person's part of it as they saw it",
	"run_task":            "What is done on the last day, by group of pay periods",
	"run_tick":            "What of it was done for which period",
	"run_taken_back":      "What became of money that a correction took back",
	"run_file":            "Files of closed runs, as they were made",
	"own_run":             "Runs for chosen people that were prepared",
	"own_run_person":      "Whom they are for",
	"pay_adjustment":      "What people are paid or have kept from them besides their hours",
	"pay_differential":    "Differentials of named people",
	"pay_differential_of": "Who gets them",
	"pay_account":         "Accounts that people are paid into, encrypted",
	"pay_debtor":          "Accounts that they are paid out of, encrypted",
	"net_pay":             "What people got of a run, as their payroll said",
	"pay_layout":          "Layouts of payroll files, from a day on",
	"pay_way":             "Ways of being paid",
	"spent_stint":         "Stints as they were paid before the run that paid their change",
	"spent_expense":       "Expenses as they were paid before it",
	"period_group":        "Groups with pay periods of their own",
	"person":              "People",
	"person_tag":          "Tags that people have, and until when",
	"place_seen":          "Where people were on the clock, as far as it was taken",
	"punch":               "One press each: in, out, switch, a break's begin or end, with the times of the device and of the server",
	"rate":                "Rates an hour, from a date on",
	"request":             "Changes of hours that people asked for",
	"request_answer":      "What became of them",
	"rule_set":            "Overtime rules from a workweek on, as docs/rules.md describes them",
	"run":                 "Pay runs",
	"settled_stint":       "By which run a stint was settled",
	"shift":               "Shifts as people were told of them",
	"planned":             "Shifts of the plan, told or not",
	"planned_change":      "Changes of the plan",
	"task_person":         "Whom tasks are meant for",
	"job_wanted":          "How many people jobs want on which days",
	"shift_agreed":        "That people agreed to changes of their plan",
	"shift_told":          "When people were told of shifts and of changes, and how long before",
	"opening":             "Places of shifts that nobody had yet",
	"opening_ask":         "Who asked for one, and what became of it",
	"shift_series":        "Shifts that repeat",
	"series_exception":    "Dates of them that were changed by hand",
	"plan_feed":           "Who reads their shifts by a calendar",
	"plan_rule":           "What the company said of what speaks against shifts",
	"usual_week":          "Usual weeks of crews",
	"site":                "Sites, with their zones and fences",
	"stint":               "Stretches of one kind on one job, derived from punches and amendments",
	"task":                "Tasks of jobs, with estimates",
	"terms":               "How people are paid, from a date on",
	"ask":                 "Whom to ask about what",
	"erasure":             "What was erased because it was due",
	"unit":                "Crews and departments",
	"unit_lead":           "Who leads them",
	"clock_point":         "Devices of the company at which people clock, by site",
	"point_key":           "Which devices were given a key, from when to when",
	"year_before":         "What people had worked in a year up to a day, before they were recorded here, in seconds",
}

// fieldTypes gives the types of a Table Schema for those of PostgreSQL; all else is a
// string.
var fieldTypes = map[string]string{"integer": "integer", "bigint": "integer", "smallint": "integer", "numeric": "number",
	"double precision": "number", "real": "number", "boolean": "boolean", "date": "date", "timestamp with time zone": "datetime",
	"json": "object", "jsonb": "object"}

// Export writes everything that was recorded, but for what lets somebody in, as CSV
// into a ZIP archive, all of one instant, with datapackage.json describing tables,
// columns and how they refer to each other (Data Package, Table Schema:
// datapackage.org). Durations are seconds, money is in the currency of its run or of somebody's
// pay periods, the company's where none is named, instants are in UTC.
func Export(ctx context.Context, db *store.DB, to io.Writer, now time.Time) ([]store.Table, error) {
	tables, err := store.Tables(ctx, db)
	if err != nil {
		return nil, err
	}
	archive := zip.NewWriter(to)
	file := func(name string) (io.Writer, error) {
		return archive.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: now})
	}
	entry, err := file("datapackage.json")
	if err != nil {
		return nil, err
	}
	lines := json.NewEncoder(entry)
	lines.SetIndent("", "  ")
	if err := lines.Encode(describe(tables, now)); err != nil {
		return nil, err
	}
	if err := store.CopyTables(ctx, db, tables, func(t store.Table) (io.Writer, error) { return file(csvName(t)) }); err != nil {
		return nil, err
	}
	return tables, archive.Close()
}

func csvName(t store.Table) string { return t.Name + ".csv" }

// describe makes the description of an export.
func describe(tables []store.Table, now time.Time) map[string]any {
	resources := make([]map[string]any, len(tables))
	for i, t := range tables {
		fields := make([]map[string]any, len(t.Columns))
		for n, c := range t.Columns {
			kind, known := fieldTypes[strings.TrimSpace(strings.Split(c.Type, "(")[0])]
			if !known {
				kind = "string"
			}
			field := map[string]any{"name": c.Name, "type": kind, "description": c.Type}
			if c.Needed {
				field["constraints"] = map[string]any{"required": true}
			}
			if kind == "boolean" {
				field["trueValues"], field["falseValues"] = []string{"t"}, []string{"f"}
			}
			if kind == "datetime" {
				field["format"] = "any"
			}
			fields[n] = field
		}
		refers := []map[string]any{}
		for _, r := range t.Refers {
			refers = append(refers, map[string]any{"fields": r.Column, "reference": map[string]any{"resource": r.Table, "fields": r.Field}})
		}
		schema := map[string]any{"fields": fields, "foreignKeys": refers}
		if len(t.Key) > 0 {
			schema["primaryKey"] = t.Key
		}
		resources[i] = map[string]any{"name": t.Name, "path": csvName(t), "description": tableWords[t.Name], "format": "csv",
			"mediatype": "text/csv", "encoding": "utf-8", "schema": schema}
	}
	return map[string]any{"name": "manudex-export", "created": now.UTC().Format(time.RFC3339),
		"description": "All that Manudex recorded. Durations are seconds, instants are in UTC, money is in the currency of its run or of " +
			"somebody's pay periods, the company's where none is named. Passwords, one-time codes and links are left out.",
		"resources": resources}
}

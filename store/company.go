package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"manudex/core/clock"
	"manudex/core/keep"
	"manudex/core/when"
)

// Company is the place: its settings, with zone and figures as core wants
// them.
type Company struct {
	Name, Zone, Currency string
	CurrencyDecimals     int        `db:"currency_decimals"`
	WhomToAsk            string     `db:"whom_to_ask"`
	PeriodKind           string     `db:"period_kind"`
	PeriodAnchor         when.Date  `db:"period_anchor"`
	CutOver              int        `db:"cut_over"`
	NewAttendanceAfter   int        `db:"new_attendance_after"`
	LongestShift         int        `db:"longest_shift"`
	LateAfter            int        `db:"late_after"`
	OverPlanAfter        int        `db:"over_plan_after"`
	MealDueAfter         int        `db:"meal_due_after"`
	MealWaivedUpTo       int        `db:"meal_waived_up_to"`
	MissingAfter         int        `db:"missing_after"`
	EarlyAfter           int        `db:"early_after"`
	LeftEarly            int        `db:"left_early"`
	LeftLate             int        `db:"left_late"`
	UnderPlan            int        `db:"under_plan"`
	MostADay             int        `db:"most_a_day"`
	ShortStint           int        `db:"short_stint"`
	SignRequired         bool       `db:"sign_required"`
	JobWord              string     `db:"job_word"`
	HolidayCountry       string     `db:"holiday_country"`
	LocationInterval     int        `db:"location_interval"`
	LocationMoved        int        `db:"location_moved"`
	HasMark              bool       `db:"has_mark"`
	SetUp                string     `db:"set_up"`           // steps of the short set-up that are done, with commas
	NewClockPoints       string     `db:"new_clock_points"` // of people added from now on
	NewLocation          string     `db:"new_location"`
	Country              string     // ISO 3166
	NewPattern           string     `db:"new_pattern"`    // as PutPatterns takes it, "" for none
	HandChange           int        `db:"hand_change"`    // seconds; whoever changed a card by hand by more doesn't approve it
	SwipeGuard           int        `db:"swipe_guard"`    // seconds in which another swipe changes nothing
	OwnCards             string     `db:"own_cards"`      // what the numbers of the place's own cards begin with
	ExpenseKinds         string     `db:"expense_kinds"`  // see app.ExpenseKind
	AccountWords         string     `db:"account_words"`  // see app.AccountWord
	NoAccount            string     `db:"no_account"`     // "crew" or "stop"
	SecondCheck          bool       `db:"second_check"`   // a run is checked by somebody else before it's closed
	LeastWages           string     `db:"least_wages"`    // as payroll reads it
	LeastSalary          string     `db:"least_salary"`   // of an exempt salary a week, a decimal
	OwnPay               bool       `db:"own_pay"`        // people see what closed runs paid them
	DeductUnder          string     `db:"deduct_under"`   // a deduction below the least wage: "refuse" or "warn"
	QueueLimit           int        `db:"queue_limit"`    // seconds; what waited longer in a device's queue is a claim
	CodesRequired        bool       `db:"codes_required"` // of owners and holders of pay rights
	PlanSeen             string     `db:"plan_seen"`      // people see the shifts of their crew (yes) or of everybody (all)
	HandoverFree         bool       `db:"handover_free"`  // who agrees to take a colleague's shift has it at once
	NoticesOff           bool       `db:"notices_off"`    // people may do without notices of a kind
	LeadTimes            bool       `db:"lead_times"`     // crew leads say when people of their crew left
	MostAWeek            int        `db:"most_a_week"`    // seconds; a week of more is flagged, 0 for none
	ChangeDays           int        `db:"change_days"`    // what is older only an owner changes; 0 for no limit
	UnsignedAt           int        `db:"unsigned_at"`    // seconds since midnight of the next working day
	KeepYears            *int       `db:"keep_years"`     // of those who left; nil for as long as the law asks
	KeepPlaces           int        `db:"keep_places"`    // days after their run
	PaysFrom             *when.Date `db:"pays_from"`      // first day paid here; nil: everything is
	Version              int64      // of all the settings

	Loc *time.Location `db:"-"`
}

// KeptFor is for how many years what is known of those who left is kept: what was
// asked for, never less than the law of the country asks.
func (c Company) KeptFor() int {
	asked := 0
	if c.KeepYears != nil {
		asked = *c.KeepYears
	}
	return keep.Of(c.Country).Kept(asked)
}

// GetCompany reads the place's settings.
func GetCompany(ctx context.Context, q Q) (Company, error) {
	var c Company
	err := q.GetContext(ctx, &c, `
		select name, zone, currency, currency_decimals, whom_to_ask, period_kind, period_anchor, cut_over, new_attendance_after,
		       longest_shift, late_after, over_plan_after, meal_due_after, meal_waived_up_to, missing_after, sign_required,
		       job_word, holiday_country, location_interval, location_moved, mark is not null as has_mark, set_up, new_clock_points,
		       new_location, new_pattern, country, hand_change, queue_limit, expense_kinds, account_words, no_account,
		       second_check, least_wages, trim_scale(least_salary)::text as least_salary, deduct_under, own_pay,
		       swipe_guard,
		       own_cards,
		       codes_required, keep_years, keep_places, pays_from,
		       early_after, left_early, left_late, under_plan, most_a_day, short_stint, most_a_week, lead_times, change_days, unsigned_at,
		       notices_off, handover_free, plan_seen,
		       version
		from company`)
	if NotFound(err) {
		return c, fmt.Errorf("the database holds no company yet; run `manudex init` or `manudex demo` first")
	}
	if err != nil {
		return c, fmt.Errorf("read the company: %w", err)
	}
	c.Loc, err = time.LoadLocation(c.Zone)
	if err != nil {
		return c, fmt.Errorf("the company's zone %q is unknown; set an IANA zone such as America/New_York", c.Zone)
	}
	return c, nil
}

// Country reads in whose form telephone numbers are read: ISO 3166.
func Country(ctx context.Context, q Q) (code string, err error) {
	err = q.GetContext(ctx, &code, `select country from company`)
	return code, err
}

// PutCompany writes the settings, replacing what stood.
func PutCompany(ctx context.Context, q Q, c Company) error {
	columns := append([]string{"name", "zone", "currency", "currency_decimals", "whom_to_ask", "period_kind", "period_anchor", "cut_over",
		"new_attendance_after", "sign_required", "only_row"}, figureColumns...)
	// A row that is there keeps what isn't named; a new one takes the defaults.
	list, set := strings.Join(columns, ", "), replacing("only_row", columns)
	data, err := jsonRows(columns, 1, func(int) []any {
		return append([]any{c.Name, c.Zone, c.Currency, c.CurrencyDecimals, c.WhomToAsk, c.PeriodKind, c.PeriodAnchor.String(), c.CutOver,
			c.NewAttendanceAfter, c.SignRequired, true}, c.Figures().values()...)
	})
	if err != nil {
		return fmt.Errorf("write the company: %w", err)
	}
	_, err = q.ExecContext(ctx, `insert into company (`+list+`) select `+list+` from jsonb_populate_recordset(null::company, $1) `+set,
		data)
	return err
}

func seconds(n int) time.Duration { return time.Duration(n) * time.Second }

// Figures are the place's first, before any that begin on a date.
func (c Company) Figures() Figures {
	return Figures{LongestShift: c.LongestShift, LateAfter: c.LateAfter, OverPlanAfter: c.OverPlanAfter, MealDueAfter: c.MealDueAfter,
		MealWaivedUpTo: c.MealWaivedUpTo, MissingAfter: c.MissingAfter, EarlyAfter: c.EarlyAfter, LeftEarly: c.LeftEarly,
		LeftLate: c.LeftLate, UnderPlan: c.UnderPlan, MostADay: c.MostADay, ShortStint: c.ShortStint}
}

// ClockRules put stints on days, in the zone of the person's site.
func (c Company) ClockRules(loc *time.Location) clock.Rules {
	return clock.Rules{NewAttendanceAfter: seconds(c.NewAttendanceAfter), CutOver: seconds(c.CutOver), Loc: loc}
}

// Periods is the row of pay periods.
func (c Company) Periods() when.PayPeriods {
	return when.PayPeriods{Kind: when.PeriodKind(c.PeriodKind), Anchor: c.PeriodAnchor}
}

// CompanyName reads what the company is called, whatever version the schema has.
func CompanyName(ctx context.Context, q Q) (name string, err error) {
	err = q.GetContext(ctx, &name, `select name from company`)
	return name, err
}

// SetCompany sets one column; the column is one of ours and never what
// somebody typed.
func SetCompany(ctx context.Context, q Q, column string, value any) error {
	_, err := q.ExecContext(ctx, `update company set `+column+` = $1`, value)
	return err
}

// CompanyMark reads the mark, a PNG; empty for none.
func CompanyMark(ctx context.Context, q Q) ([]byte, error) {
	var png []byte
	err := q.QueryRowxContext(ctx, `select coalesce(mark, '') from company`).Scan(&png)
	return png, err
}

// CompanyMap reads what is drawn beneath maps, GeoJSON; empty for nothing.
func CompanyMap(ctx context.Context, q Q) ([]byte, error) {
	var data []byte
	err := q.QueryRowxContext(ctx, `select coalesce(map::text, '') from company`).Scan(&data)
	return data, err
}

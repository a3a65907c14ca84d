package files

import (
	"cmp"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"time"

	"github.com/shopspring/decimal"
	"github.com/xuri/excelize/v2"

	"manudex/core/when"
)

// Cell is a cell of a table: a text, hours in seconds, a sum, or a date.
type Cell struct {
	Text    string
	Seconds *int64
	Amount  *decimal.Decimal
	Date    *when.Date
}

func text(s string) Cell { return Cell{Text: s} }

func hours(seconds int64) Cell { return Cell{Seconds: &seconds} }

func sum(d decimal.Decimal) Cell { return Cell{Amount: &d} }

func date(d when.Date) Cell { return Cell{Date: &d} }

// RunTable is a table made of a closed run. Totals says which columns are added up beneath it.
type RunTable struct {
	Name     string // of its sheet
	Head     []string
	Rows     [][]Cell
	Totals   []int
	Decimals int // of sums
}

// counted says whether the seconds of a line's kind are hours of its own: the others stand on hours that
// are counted elsewhere.
func counted(kind string) bool {
	return kind == "straight" || kind == "leave" || kind == "paid_not_worked"
}

// apart says whether a line's amount is no part of gross: what goes into a plan, and what is deducted.
func apart(kind string) bool { return kind == "fringe_plan" || kind == "deduction" }

func (l RunLine) amount() decimal.Decimal {
	d, err := decimal.NewFromString(l.Amount)
	if err != nil {
		return decimal.Zero // it was written from a decimal
	}
	return d
}

// LeftOut is somebody whose hours a run left out, or paid as clocked, and why.
type LeftOut struct {
	Number, Family, Given string
	Seconds               int64
	Why                   string
	PayBy                 *when.Date // when law wants it paid
}

// TotalsTable adds a run up by person and pay code: hours, hours that other pay was worked out on, and
// money. Who was left out stands beneath, with why.
func TotalsTable(lines []RunLine, out []LeftOut, decimals int) RunTable {
	type key struct{ number, family, given, code, kind string }
	type total struct {
		key
		seconds, on int64
		amount      decimal.Decimal
	}
	at := map[key]int{}
	var all []total
	for _, l := range lines {
		k := key{l.Number, l.Family, l.Given, l.PayCode, totalKind(l.Kind)}
		i, is := at[k]
		if !is {
			i = len(all)
			at[k] = i
			all = append(all, total{key: k})
		}
		if counted(l.Kind) {
			all[i].seconds += l.Seconds
		} else {
			all[i].on += l.Seconds
		}
		all[i].amount = all[i].amount.Add(l.amount())
	}
	slices.SortStableFunc(all, func(a, b total) int {
		return cmp.Or(cmp.Compare(a.family, b.family), cmp.Compare(a.given, b.given), cmp.Compare(a.number, b.number),
			cmp.Compare(a.kind, b.kind), cmp.Compare(a.code, b.code))
	})
	t := RunTable{Name: "Totals", Decimals: decimals, Totals: []int{5, 6, 7},
		Head: []string{"employee_number", "family_name", "given_name", "pay_code", "what", "hours", "on_hours", "amount", "note",
			"pay_by", "currency"}}
	for _, x := range all {
		amount := x.amount
		t.Rows = append(t.Rows, []Cell{text(x.number), text(x.family), text(x.given), text(x.code), text(x.kind),
			hours(x.seconds), hours(x.on),
			sum(amount), {}, {}, text(currencyOf(lines))})
	}
	for _, o := range out {
		t.Rows = append(t.Rows, o.row())
	}
	return t
}

// currencyOf is that of a run's sums: it has one.
func currencyOf(lines []RunLine) string {
	if len(lines) == 0 {
		return ""
	}
	return lines[0].Currency
}

func (o LeftOut) row() []Cell {
	row := []Cell{text(o.Number), text(o.Family), text(o.Given), {}, text("not approved"), hours(0), hours(0), sum(decimal.Zero),
		text(fmt.Sprintf("%s hours: %s", Hours4(o.Seconds), o.Why)), {}, {}}
	if o.PayBy != nil {
		row[9] = date(*o.PayBy)
	}
	return row
}

// totalKind says what totals are of: pay, what goes into a plan, or what is kept from the pay.
func totalKind(kind string) string {
	switch kind {
	case "fringe_plan":
		return "plan"
	case "deduction":
		return "deduction"
	}
	return "pay"
}

// DaysTable gives the hours of each person and day by class, and leave.
func DaysTable(lines []RunLine, decimals int) RunTable {
	type key struct {
		number, family, given string
		date                  when.Date
	}
	at := map[key]int{}
	t := RunTable{Name: "Days", Decimals: decimals, Totals: []int{4, 5, 6, 7},
		Head: []string{"employee_number", "family_name", "given_name", "date", "regular", "overtime", "double", "leave"}}
	var sums [][4]int64
	for _, l := range lines {
		class := slices.Index([]string{"regular", "overtime", "double"}, l.Class)
		if l.Kind == "leave" {
			class = 3
		}
		if l.Kind != "straight" && l.Kind != "leave" || class < 0 {
			continue
		}
		k := key{l.Number, l.Family, l.Given, l.Date}
		i, is := at[k]
		if !is {
			i = len(sums)
			at[k] = i
			sums = append(sums, [4]int64{})
			t.Rows = append(t.Rows, []Cell{text(l.Number), text(l.Family), text(l.Given), date(l.Date)})
		}
		sums[i][class] += l.Seconds
	}
	for i, s := range sums {
		for _, n := range s {
			t.Rows[i] = append(t.Rows[i], hours(n))
		}
	}
	slices.SortStableFunc(t.Rows, func(a, b []Cell) int {
		return cmp.Or(cmp.Compare(a[1].Text, b[1].Text), cmp.Compare(a[2].Text, b[2].Text), cmp.Compare(a[0].Text, b[0].Text),
			int(*a[3].Date-*b[3].Date))
	})
	return t
}

// AccountsTable books a run: what it costs by account on one side; what is to be paid, goes into plans
// and is kept by pay code on the other. Both sides come to the same.
func AccountsTable(lines []RunLine, decimals int) RunTable {
	debit, kept := map[string]decimal.Decimal{}, map[string]decimal.Decimal{}
	var gross, plan decimal.Decimal
	for _, l := range lines {
		switch amount := l.amount(); l.Kind {
		case "deduction":
			kept[l.PayCode] = kept[l.PayCode].Add(amount)
			gross = gross.Sub(amount)
		case "fringe_plan":
			plan = plan.Add(amount)
			debit[l.Account] = debit[l.Account].Add(amount)
		default:
			gross = gross.Add(amount)
			debit[l.Account] = debit[l.Account].Add(amount)
		}
	}
	t := RunTable{Name: "Accounts", Decimals: decimals, Totals: []int{2, 3}, Head: []string{"account", "what", "debit", "credit",
		"currency"}}
	currency := text(currencyOf(lines))
	for _, a := range sortedKeys(debit) {
		t.Rows = append(t.Rows, []Cell{text(a), text("labour"), sum(debit[a]), sum(decimal.Zero), currency})
	}
	credit := func(what string, amount decimal.Decimal) {
		t.Rows = append(t.Rows, []Cell{{}, text(what), sum(decimal.Zero), sum(amount), currency})
	}
	for _, code := range sortedKeys(kept) {
		credit("kept, "+code, kept[code])
	}
	if !plan.IsZero() {
		credit("into plans", plan)
	}
	credit("to be paid", gross)
	return t
}

func sortedKeys(of map[string]decimal.Decimal) []string {
	keys := make([]string, 0, len(of))
	for k := range of {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

// WriteCSV writes the table as CSV (RFC 4180: CRLF line ends, a header), hours with four decimals.
func (t RunTable) WriteCSV(w io.Writer) error {
	out := csv.NewWriter(w)
	out.UseCRLF = true
	if err := out.Write(t.Head); err != nil {
		return err
	}
	row := make([]string, len(t.Head))
	for _, cells := range t.Rows {
		for i, c := range cells {
			switch {
			case c.Seconds != nil:
				row[i] = Hours4(*c.Seconds)
			case c.Amount != nil:
				row[i] = c.Amount.StringFixed(int32(t.Decimals))
			case c.Date != nil:
				row[i] = c.Date.String()
			default:
				row[i] = PlainText(c.Text)
			}
		}
		if err := out.Write(row); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// WriteXLSX writes the table as a workbook (Office Open XML): numbers and dates are real ones, the head
// stands still, and totals are formulas that hold their values too. Hours are decimal, in ten-thousandths.
func (t RunTable) WriteXLSX(w io.Writer) error {
	f := excelize.NewFile()
	defer f.Close()
	wrap := func(err error) error { return fmt.Errorf("write a workbook: %w", err) }
	if err := f.SetSheetName("Sheet1", t.Name); err != nil {
		return wrap(err)
	}
	style := func(format string, bold bool) (int, error) {
		return f.NewStyle(&excelize.Style{CustomNumFmt: &format, Font: &excelize.Font{Bold: bold}})
	}
	money := "0"
	if t.Decimals > 0 {
		money = fmt.Sprintf("0.%0*d", t.Decimals, 0)
	}
	var styles [4]int // of hours, sums, dates, and of what is bold
	for i, format := range []string{"0.0000", money, "yyyy\\-mm\\-dd", "General"} {
		var err error
		if styles[i], err = style(format, i == 3); err != nil {
			return wrap(err)
		}
	}
	out, err := f.NewStreamWriter(t.Name)
	if err != nil {
		return wrap(err)
	}
	if err := out.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return wrap(err)
	}
	if err := out.SetColWidth(1, len(t.Head), 15); err != nil {
		return wrap(err)
	}
	head := make([]any, len(t.Head))
	for i, h := range t.Head {
		head[i] = excelize.Cell{StyleID: styles[3], Value: h}
	}
	if err := out.SetRow("A1", head); err != nil {
		return wrap(err)
	}
	sums := make([]decimal.Decimal, len(t.Head))
	row := make([]any, len(t.Head))
	for n, cells := range t.Rows {
		for i, c := range cells {
			switch {
			case c.Seconds != nil:
				value := decimal.RequireFromString(Hours4(*c.Seconds))
				row[i], sums[i] = excelize.Cell{StyleID: styles[0], Value: value.InexactFloat64()}, sums[i].Add(value)
			case c.Amount != nil:
				row[i], sums[i] = excelize.Cell{StyleID: styles[1], Value: c.Amount.InexactFloat64()}, sums[i].Add(*c.Amount)
			case c.Date != nil:
				row[i] = excelize.Cell{StyleID: styles[2], Value: c.Date.At(0, time.UTC)}
			default:
				row[i] = c.Text
			}
		}
		if err := out.SetRow(fmt.Sprintf("A%d", n+2), row); err != nil {
			return wrap(err)
		}
	}
	if err := out.SetRow(fmt.Sprintf("A%d", len(t.Rows)+2), t.totals(sums, styles)); err != nil {
		return wrap(err)
	}
	if err := out.Flush(); err != nil {
		return wrap(err)
	}
	return f.Write(w)
}

// totals is the row beneath the table.
func (t RunTable) totals(sums []decimal.Decimal, styles [4]int) []any {
	row := make([]any, len(t.Head))
	row[0] = excelize.Cell{StyleID: styles[3], Value: "Total"}
	if len(t.Rows) == 0 {
		return row
	}
	for _, i := range t.Totals {
		column, err := excelize.ColumnNumberToName(i + 1)
		if err != nil {
			continue // there are far fewer than a sheet has
		}
		s := styles[1]
		if t.Rows[0][i].Seconds != nil {
			s = styles[0]
		}
		row[i] = excelize.Cell{StyleID: s, Formula: fmt.Sprintf("SUM(%s2:%s%d)", column, column, len(t.Rows)+1),
			Value: sums[i].InexactFloat64()}
	}
	return row
}

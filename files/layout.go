package files

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/shopspring/decimal"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"manudex/core/refusal"
	"manudex/core/when"
)

// Layout says how a payroll wants the file of a run: which rows, which columns in which order, and how
// they are written. It goes out and comes in as JSON.
type Layout struct {
	Name      string            `json:"name"`
	Rows      string            `json:"rows"` // a key of [LayoutRows]
	Columns   []LayoutColumn    `json:"columns"`
	Codes     map[string]string `json:"codes,omitempty"` // pay codes as the payroll calls them
	Separator string            `json:"separator"`       // one character
	Quotes    string            `json:"quotes"`          // "needed", "always" or "never"
	Encoding  string            `json:"encoding"`        // a key of [LayoutEncodings]
	Header    bool              `json:"header"`
	LineEnd   string            `json:"line_end"` // "crlf" or "lf"
	Decimal   string            `json:"decimal"`  // "." or ","
	Date      string            `json:"date"`     // a key of [LayoutDates]
	Hours     string            `json:"hours"`    // a key of [LayoutHours]
	Money     int               `json:"money"`    // decimals of sums
	FilePer   string            `json:"file_per"` // "run", "code", "site" or "way"
}

// LayoutColumn is a column: a value by its name, or a constant.
type LayoutColumn struct {
	Name     string `json:"name"`
	Value    string `json:"value,omitempty"` // a key of [LayoutValues]
	Code     string `json:"code,omitempty"`  // of "hours_of" and "amount_of"
	Constant string `json:"constant,omitempty"`
}

// LayoutRows says of what a row can be.
var LayoutRows = map[string]string{"person": "a person", "person_code": "a person and pay code", "line": "a line",
	"day": "a person and day"}

// LayoutEncodings are how a file's characters can be written.
var LayoutEncodings = map[string]string{"utf-8": "UTF-8", "utf-8-bom": "UTF-8 with a mark", "windows-1252": "Windows-1252",
	"utf-16": "UTF-16 with a mark"}

// LayoutDates are how dates can be written, as package time writes them.
var LayoutDates = map[string]string{"yyyy-mm-dd": "2006-01-02", "dd.mm.yyyy": "02.01.2006", "mm/dd/yyyy": "01/02/2006",
	"dd/mm/yyyy": "02/01/2006",
	"yyyymmdd":   "20060102", "ddmmyy": "020106"}

// LayoutHours are how hours can be written: the seconds of their last place.
var LayoutHours = map[string]int64{"4 decimals": 0, "2 decimals": 36, "1 decimal": 360, "quarters": 900, "whole": 3600, "h:mm": 60,
	"minutes": 60, "seconds": 1}

// LayoutValues are what a column can hold, in words.
var LayoutValues = map[string]string{
	"number": "employee number", "family_name": "family name", "given_name": "given name", "name": "family name, given name",
	"site": "site", "crew": "crew", "way": "way of being paid", "run": "number of the run", "period_from": "first day of the period",
	"period_to": "last day of the period", "date": "day", "pay_code": "pay code", "kind": "what a line pays", "class": "class of hours",
	"job": "job", "job_name": "name of the job", "task": "task", "cost_code": "cost code", "classification": "classification",
	"account": "account", "rate": "rate", "hours": "hours", "on_hours": "hours that other pay was worked out on", "amount": "sum",
	"regular": "regular hours", "overtime": "overtime", "double": "double time", "leave": "hours of leave", "gross": "gross",
	"deducted": "deductions", "net": "gross less deductions", "currency": "currency of sums", "plan": "sum that goes into plans",
	"hours_of":  "hours of a pay code",
	"amount_of": "sum of a pay code",
}

// hourValues and sumValues are the columns whose cells are rounded together.
var (
	hourValues = []string{"hours", "on_hours", "regular", "overtime", "double", "leave", "hours_of"}
	sumValues  = []string{"amount", "gross", "deducted", "net", "plan", "amount_of"}
	dayValues  = []string{"date"}
	lineValues = []string{"kind", "class", "job", "job_name", "task", "cost_code", "classification", "account", "rate"}
)

// Check refuses a layout that can't be written, saying which field is wrong.
func (l Layout) Check() error {
	known := func(field, value string, in bool, right string) error {
		if in {
			return nil
		}
		return refusal.New(field, "“"+value+"” isn't known", right)
	}
	_, rows := LayoutRows[l.Rows]
	_, encodes := LayoutEncodings[l.Encoding]
	_, dates := LayoutDates[l.Date]
	_, hours := LayoutHours[l.Hours]
	for _, err := range []error{
		known("rows", l.Rows, rows, "Take person, person_code, line or day"),
		known("encoding", l.Encoding, encodes, "Take utf-8, utf-8-bom, windows-1252 or utf-16"),
		known("date", l.Date, dates, "Take one of the ways that are offered"),
		known("hours", l.Hours, hours, "Take one of the ways that are offered"),
		known("quotes", l.Quotes, slices.Contains([]string{"needed", "always", "never"}, l.Quotes), "Take needed, always or never"),
		known("line_end", l.LineEnd, l.LineEnd == "crlf" || l.LineEnd == "lf", "Take crlf or lf"),
		known("decimal", l.Decimal, l.Decimal == "." || l.Decimal == ",", "Take a point or a comma"),
		known("file_per", l.FilePer, slices.Contains([]string{"run", "code", "site", "way"}, l.FilePer), "Take run, code, site or way"),
	} {
		if err != nil {
			return err
		}
	}
	switch {
	case strings.TrimSpace(l.Name) == "" || len([]rune(l.Name)) > 60:
		return refusal.New("name", "The layout has no name", "Write one of at most 60 characters")
	case len([]rune(l.Separator)) != 1 || strings.ContainsAny(l.Separator, "\"\r\n") || l.Separator == l.Decimal:
		return refusal.New("separator", "“"+l.Separator+"” can't stand between fields", "Take one character that isn't the decimal sign")
	case l.Money < 0 || l.Money > 4:
		return refusal.New("money", "Sums can't have so many decimals", "Take 0 to 4")
	case len(l.Columns) == 0 || len(l.Columns) > 60:
		return refusal.New("columns", "There are no columns, or more than 60", "Write a line for each: EMPNO = number")
	}
	for _, c := range l.Columns {
		if err := l.checkColumn(c); err != nil {
			return err
		}
	}
	return nil
}

func (l Layout) checkColumn(c LayoutColumn) error {
	wrong := func(why, right string) error {
		return refusal.New("columns", "The column “"+c.Name+"” "+why, right)
	}
	switch {
	case c.Name == "" && l.Header:
		return refusal.New("columns", "A column has no name", "Write a line for each: EMPNO = number")
	case c.Value == "":
		return nil
	case LayoutValues[c.Value] == "":
		return wrong("holds “"+c.Value+"”, which isn't known", "Take one of those that are listed, or a constant in quotes")
	case (c.Value == "hours_of" || c.Value == "amount_of") == (c.Code == ""):
		return wrong("names no pay code, or one it doesn't need", "Write hours_of REG")
	case slices.Contains(lineValues, c.Value) && l.Rows != "line":
		return wrong("holds what only a line has", "Take a row for each line, or another value")
	case slices.Contains(dayValues, c.Value) && l.Rows != "line" && l.Rows != "day":
		return wrong("holds a day, and a row is of all days", "Take a row for each day or line, or period_to")
	case c.Value == "pay_code" && l.Rows != "line" && l.Rows != "person_code":
		return wrong("holds a pay code, and a row is of all codes", "Take a row for each person and code, or hours_of REG")
	}
	return nil
}

// ParseLayout reads a layout from JSON.
func ParseLayout(data []byte) (l Layout, err error) {
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&l); err != nil {
		return l, refusal.New("file", "That is no layout: "+err.Error(), "Take a file that was saved here")
	}
	return l, l.Check()
}

// ParseColumns reads columns as they're typed, a line each: EMPNO = number, CO = "0042", OT = hours_of OVT.
func ParseColumns(typed string) (columns []LayoutColumn, err error) {
	for line := range strings.Lines(typed) {
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		name, value, found := strings.Cut(line, "=")
		c := LayoutColumn{Name: strings.TrimSpace(name)}
		value = strings.TrimSpace(value)
		switch {
		case !found || value == "":
			return nil, refusal.New("columns", "“"+line+"” doesn't say what the column holds", "Write EMPNO = number")
		case strings.HasPrefix(value, `"`):
			if len(value) < 2 || !strings.HasSuffix(value, `"`) {
				return nil, refusal.New("columns", "“"+line+"” begins a constant and doesn't end it", `Write CO = "0042"`)
			}
			c.Constant = value[1 : len(value)-1]
		default:
			c.Value, c.Code, _ = strings.Cut(value, " ")
			c.Code = strings.TrimSpace(c.Code)
		}
		columns = append(columns, c)
	}
	return columns, nil
}

// WriteColumns writes columns as [ParseColumns] reads them.
func WriteColumns(columns []LayoutColumn) string {
	var b strings.Builder
	for _, c := range columns {
		switch {
		case c.Value == "":
			fmt.Fprintf(&b, "%s = %q\n", c.Name, c.Constant)
		case c.Code != "":
			fmt.Fprintf(&b, "%s = %s %s\n", c.Name, c.Value, c.Code)
		default:
			fmt.Fprintf(&b, "%s = %s\n", c.Name, c.Value)
		}
	}
	return b.String()
}

// ParseCodes reads pay codes as the payroll calls them, a line each: REG = 01.
func ParseCodes(typed string) (map[string]string, error) {
	codes := map[string]string{}
	for line := range strings.Lines(typed) {
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		code, theirs, found := strings.Cut(line, "=")
		code, theirs = strings.TrimSpace(code), strings.TrimSpace(theirs)
		if !found || code == "" || theirs == "" {
			return nil, refusal.New("codes", "“"+line+"” doesn't say how a pay code is called", "Write REG = 01")
		}
		codes[code] = theirs
	}
	return codes, nil
}

// LayoutFile is a file that a layout makes of a run.
type LayoutFile struct {
	Of   string // the code, site or way that it's of, "" for the run
	Data []byte
}

// LayoutReport says what a layout does to a run that isn't to be overlooked.
type LayoutReport struct {
	Rows    int
	Moved   []string // cells that aren't rounded to the nearest, so that they come to the rounded total
	Off     []string // pay codes that don't come to theirs: that of each person goes before
	Left    []string // hours and sums that no column holds
	Unknown []string // pay codes that the layout doesn't know
	Lost    []string // characters that the encoding doesn't have
}

// layoutRow is a row on its way: what it's of, and its sums by column.
type layoutRow struct {
	first  *RunLine // the names, dates and so on are those of its first line
	values []int64  // of columns that are added up: seconds, or millionths of a sum
}

// Make writes a closed run by the layout. Sums have as many decimals as the currency.
func (l Layout) Make(lines []RunLine, decimals int) ([]LayoutFile, LayoutReport, error) {
	var report LayoutReport
	rows := l.rows(lines)
	report.Rows = len(rows)
	l.unknown(lines, &report)
	l.leftOut(lines, decimals, &report)
	cells := l.round(rows, decimals, &report)
	parts, order := map[string][]int{}, []string{}
	for i, r := range rows {
		of := map[string]string{"code": l.code(r.first.PayCode), "site": r.first.Site, "way": r.first.Way}[l.FilePer]
		if parts[of] == nil {
			order = append(order, of)
		}
		parts[of] = append(parts[of], i)
	}
	slices.Sort(order)
	if len(order) == 0 {
		order = []string{""}
	}
	var out []LayoutFile
	for _, of := range order {
		data, err := l.write(rows, cells, parts[of], &report)
		if err != nil {
			return nil, report, err
		}
		out = append(out, LayoutFile{of, data})
	}
	return out, report, nil
}

func (l Layout) code(code string) string {
	if theirs, is := l.Codes[code]; is {
		return theirs
	}
	return code
}

// added says whether a column's cells are sums of lines: of seconds, or of money.
func (c LayoutColumn) added() (seconds, money bool) {
	return slices.Contains(hourValues, c.Value), slices.Contains(sumValues, c.Value)
}

// part gives what a line adds to a column.
func (c LayoutColumn) part(l *RunLine, amount int64) int64 {
	straight := l.Kind == "straight"
	switch {
	case c.Value == "hours" && counted(l.Kind), c.Value == "on_hours" && !counted(l.Kind),
		c.Value == "hours_of" && counted(l.Kind) && l.PayCode == c.Code,
		c.Value == "leave" && l.Kind == "leave", straight && c.Value == l.Class:
		return l.Seconds
	case c.Value == "amount", c.Value == "gross" && !apart(l.Kind), c.Value == "deducted" && l.Kind == "deduction",
		c.Value == "plan" && l.Kind == "fringe_plan", c.Value == "net" && !apart(l.Kind),
		c.Value == "amount_of" && l.PayCode == c.Code:
		return amount
	case c.Value == "net" && l.Kind == "deduction":
		return -amount
	}
	return 0
}

const millionths = 1_000_000

// rows gathers the lines of a run into rows, in the order of people.
func (l Layout) rows(lines []RunLine) []layoutRow {
	lines = slices.Clone(lines)
	slices.SortStableFunc(lines, func(a, b RunLine) int {
		if c := cmp.Or(cmp.Compare(a.Family, b.Family), cmp.Compare(a.Given, b.Given), cmp.Compare(a.Number, b.Number)); c != 0 {
			return c
		}
		switch l.Rows {
		case "person_code":
			return cmp.Compare(a.PayCode, b.PayCode)
		case "day", "line":
			return int(a.Date - b.Date)
		}
		return 0
	})
	same := func(a, b *RunLine) bool {
		switch {
		case l.Rows == "line" || a.Number != b.Number || a.Family != b.Family || a.Given != b.Given:
			return false
		case l.FilePer == "code" && l.code(a.PayCode) != l.code(b.PayCode):
			return false
		}
		return l.Rows == "person" || l.Rows == "person_code" && a.PayCode == b.PayCode || l.Rows == "day" && a.Date == b.Date
	}
	if l.FilePer == "code" && l.Rows != "person_code" {
		slices.SortStableFunc(lines, func(a, b RunLine) int { return cmp.Compare(l.code(a.PayCode), l.code(b.PayCode)) })
	}
	var rows []layoutRow
	for i := range lines {
		line := &lines[i]
		if n := len(rows); n == 0 || !same(rows[n-1].first, line) {
			rows = append(rows, layoutRow{first: line, values: make([]int64, len(l.Columns))})
		}
		r := &rows[len(rows)-1]
		amount := line.amount().Mul(decimal.NewFromInt(millionths)).IntPart()
		for c, column := range l.Columns {
			r.values[c] += column.part(line, amount)
		}
	}
	return rows
}

// step is the last place of a column: in seconds, or in millionths.
func (l Layout) step(c LayoutColumn, decimals int) int64 {
	if seconds, _ := c.added(); seconds {
		return LayoutHours[l.Hours]
	}
	step := int64(millionths)
	for range l.Money {
		step /= 10
	}
	if l.Money >= decimals {
		return 0 // nothing is lost
	}
	return step
}

// exact writes what a cell would hold, unrounded.
func (l Layout) exact(c int, v int64) string {
	if seconds, _ := l.Columns[c].added(); seconds {
		return Hours4(v)
	}
	return decimal.New(v, -6).String()
}

// number writes a cell that was added up.
func (l Layout) number(c int, v int64) string {
	seconds, _ := l.Columns[c].added()
	var s string
	switch {
	case !seconds:
		s = decimal.New(v, -6).StringFixed(int32(l.Money))
	case l.Hours == "4 decimals":
		s = Hours4(v)
	case l.Hours == "2 decimals", l.Hours == "quarters":
		s = decimal.NewFromInt(v).Div(decimal.NewFromInt(3600)).StringFixed(2)
	case l.Hours == "1 decimal":
		s = decimal.NewFromInt(v).Div(decimal.NewFromInt(3600)).StringFixed(1)
	case l.Hours == "whole":
		s = fmt.Sprint(v / 3600)
	case l.Hours == "minutes":
		s = fmt.Sprint(v / 60)
	case l.Hours == "seconds":
		s = fmt.Sprint(v)
	default: // h:mm
		sign := ""
		if v < 0 {
			sign, v = "-", -v
		}
		return fmt.Sprintf("%s%d:%02d", sign, v/3600, v/60%60)
	}
	return strings.Replace(s, ".", l.Decimal, 1)
}

// value writes a cell.
func (l Layout) value(c int, r layoutRow, added int64) string {
	column, of := l.Columns[c], r.first
	if seconds, money := column.added(); seconds || money {
		return l.number(c, added)
	}
	if column.Value == "" {
		return column.Constant
	}
	return PlainText(l.text(column.Value, of))
}

// text writes what isn't added up.
func (l Layout) text(value string, of *RunLine) string {
	day := func(d when.Date) string { return d.Format(LayoutDates[l.Date]) }
	switch value {
	case "number":
		return of.Number
	case "family_name":
		return of.Family
	case "given_name":
		return of.Given
	case "name":
		return of.Family + ", " + of.Given
	case "site":
		return of.Site
	case "crew":
		return of.Crew
	case "way":
		return of.Way
	case "currency":
		return of.Currency
	case "run":
		return fmt.Sprint(of.Run)
	case "period_from":
		return day(of.From)
	case "period_to":
		return day(of.To)
	case "date":
		return day(of.Date)
	case "pay_code":
		return l.code(of.PayCode)
	case "kind":
		return of.Kind
	case "class":
		return of.Class
	case "job":
		return of.Job
	case "job_name":
		return of.JobName
	case "task":
		return of.Task
	case "cost_code":
		return of.CostCode
	case "classification":
		return of.WorkClass
	case "account":
		return of.Account
	case "rate":
		return strings.Replace(of.Rate, ".", l.Decimal, 1)
	}
	return ""
}

// write writes some rows as a file.
func (l Layout) write(rows []layoutRow, cells [][]int64, of []int, report *LayoutReport) ([]byte, error) {
	var b strings.Builder
	end := map[string]string{"crlf": "\r\n", "lf": "\n"}[l.LineEnd]
	row := func(fields []string) error {
		for i, f := range fields {
			if i > 0 {
				b.WriteString(l.Separator)
			}
			q, err := l.quoted(f)
			if err != nil {
				return err
			}
			b.WriteString(q)
		}
		b.WriteString(end)
		return nil
	}
	fields := make([]string, len(l.Columns))
	if l.Header {
		for i, c := range l.Columns {
			fields[i] = c.Name
		}
		if err := row(fields); err != nil {
			return nil, err
		}
	}
	for _, i := range of {
		for c := range l.Columns {
			fields[c] = l.value(c, rows[i], cells[i][c])
		}
		if err := row(fields); err != nil {
			return nil, err
		}
	}
	return l.encode(b.String(), report)
}

// quoted writes a field between quotes where it has to be, doubling those in it.
func (l Layout) quoted(f string) (string, error) {
	needs := strings.Contains(f, l.Separator) || strings.ContainsAny(f, "\"\r\n")
	switch {
	case l.Quotes == "never" && needs:
		return "", refusal.New("quotes", "“"+f+"” holds the separator, a quote or a line end, and there are no quotes",
			"Let quotes stand where they're needed, or take another separator")
	case l.Quotes == "always" || needs:
		return `"` + strings.ReplaceAll(f, `"`, `""`) + `"`, nil
	}
	return f, nil
}

// encode writes a text in the layout's encoding; what that doesn't have is written as "?", and said.
func (l Layout) encode(s string, report *LayoutReport) ([]byte, error) {
	var to encoding.Encoding
	switch l.Encoding {
	case "utf-8":
		return []byte(s), nil
	case "utf-8-bom":
		return append([]byte("\xef\xbb\xbf"), s...), nil
	case "utf-16":
		to = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
	default:
		to = charmap.Windows1252
		for _, r := range s {
			if _, has := charmap.Windows1252.EncodeRune(r); !has && !slices.Contains(report.Lost, string(r)) {
				report.Lost = append(report.Lost, string(r))
			}
		}
		for _, r := range report.Lost {
			s = strings.ReplaceAll(s, r, "?")
		}
	}
	data, err := to.NewEncoder().Bytes([]byte(s))
	if err != nil {
		return nil, fmt.Errorf("write the file as %s: %w", l.Encoding, err)
	}
	return data, nil
}

// unknown lists the pay codes that the layout has no name for, where it names any.
func (l Layout) unknown(lines []RunLine, report *LayoutReport) {
	if len(l.Codes) == 0 {
		return
	}
	for _, line := range lines {
		if _, is := l.Codes[line.PayCode]; !is && !slices.Contains(report.Unknown, line.PayCode) {
			report.Unknown = append(report.Unknown, line.PayCode)
		}
	}
	slices.Sort(report.Unknown)
}

// leftOut says which hours and sums of the run no column holds, by pay code.
func (l Layout) leftOut(lines []RunLine, decimals int, report *LayoutReport) {
	type missing struct {
		seconds int64
		amount  decimal.Decimal
	}
	left := map[string]missing{}
	for i := range lines {
		line := &lines[i]
		holds := func(values []string) bool {
			return slices.ContainsFunc(l.Columns, func(c LayoutColumn) bool {
				return slices.Contains(values, c.Value) && c.part(line,
					1) != 0
			})
		}
		m := left[line.PayCode]
		if counted(line.Kind) && line.Seconds != 0 && !holds(hourValues) {
			m.seconds += line.Seconds
		}
		if a := line.amount(); !a.IsZero() && !holds(sumValues) {
			m.amount = m.amount.Add(a)
		}
		left[line.PayCode] = m
	}
	codes := make([]string, 0, len(left))
	for code := range left {
		codes = append(codes, code)
	}
	slices.Sort(codes)
	for _, code := range codes {
		m := left[code]
		if m.seconds != 0 {
			report.Left = append(report.Left, fmt.Sprintf("%s hours of %s", Hours4(m.seconds), code))
		}
		if !m.amount.IsZero() {
			report.Left = append(report.Left, fmt.Sprintf("%s of %s", m.amount.StringFixed(int32(decimals)), code))
		}
	}
}

// FileName makes of a text what a file can be called anywhere: small letters, digits and strokes.
func FileName(text string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(text) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	return strings.Trim(b.String(), "-")
}

package files

import (
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"

	"manudex/core/when"
)

// RunLine is a line of a closed pay run with names in place of ids. Amount is
// a decimal with the currency's decimals.
type RunLine struct {
	Run                   int
	From, To              when.Date
	Number, Family, Given string
	Date                  when.Date
	Job, JobName, Task    string
	CostCode, WorkClass   string
	PayCode, Kind, Class  string
	Seconds               int64
	Rate, Amount          string
	Currency              string   // of Amount, ISO 4217
	Account               string   // to which it is booked
	Site, Crew, Way       string   // of the person; how they are paid
	Said                  []string // what was said of the day, in the order of the further columns
}

// RunHeader names the columns of a run's file, in order.
var RunHeader = []string{"run", "period_from", "period_to", "employee_number", "family_name", "given_name", "date", "job",
	"job_name", "task", "cost_code",
	"classification", "pay_code", "kind", "class", "hours", "on_hours", "rate", "amount", "account", "currency"}

// WriteRun writes the lines of a pay run as CSV (RFC 4180: CRLF line ends,
// a header). Straight and leave lines and what is paid and not worked carry
// their hours in the column hours; the others carry those they were worked out
// on in on_hours, so that adding up hours counts each once. Lines of the kind
// fringe_plan go into a plan, and not to the person; those of the kind deduction are kept from the
// pay, after gross. Hours have four decimals, enough to tell every second; amounts have the
// currency's decimals. Further columns hold what the place asks of days beside the hours.
func WriteRun(w io.Writer, lines []RunLine, further ...string) error {
	out := csv.NewWriter(w)
	out.UseCRLF = true
	head := slices.Clone(RunHeader)
	for _, name := range further {
		head = append(head, PlainText(name))
	}
	if err := out.Write(head); err != nil {
		return err
	}
	for _, l := range lines {
		hours, on, class := Hours4(l.Seconds), "", l.Class
		switch l.Kind {
		case "straight", "leave", "paid_not_worked":
		case "extra", "salary", "deduction":
			hours = ""
		default: // paid on hours that stand elsewhere
			hours, on = "", hours
		}
		if hours == "" && on == "" || l.Kind == "leave" {
			class = ""
		}
		row := []string{fmt.Sprint(l.Run), l.From.String(),
			l.To.String(), PlainText(l.Number), PlainText(l.Family), PlainText(l.Given), l.Date.String(),
			PlainText(l.Job), PlainText(l.JobName),
			PlainText(l.Task), PlainText(l.CostCode), PlainText(l.WorkClass), PlainText(l.PayCode), l.Kind, class, hours, on, l.Rate,
			l.Amount, PlainText(l.Account), l.Currency}
		for i := range further {
			said := ""
			if i < len(l.Said) {
				said = PlainText(l.Said[i])
			}
			row = append(row, said)
		}
		if err := out.Write(row); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// Hours4 writes seconds as hours with four decimals, rounded half away from
// zero.
func Hours4(seconds int64) string {
	sign := ""
	if seconds < 0 {
		sign, seconds = "-", -seconds
	}
	tenThousandths := (seconds*10_000 + 1800) / 3600
	return fmt.Sprintf("%s%d.%04d", sign, tenThousandths/10_000, tenThousandths%10_000)
}

// PlainText keeps a spreadsheet from taking a text for a formula. Numbers,
// those of phones among them, stay as they are.
func PlainText(s string) string {
	switch {
	case s == "":
	case strings.ContainsRune("=@\t\r", rune(s[0])),
		strings.ContainsRune("+-", rune(s[0])) && strings.Trim(s[1:], "0123456789 .,/()-") != "":
		return "'" + s
	}
	return s
}

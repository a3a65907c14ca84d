package words

import (
	"slices"
	"strings"

	"manudex/app/payroll"
	"manudex/core/pay"
)

// Owners says who can name a pay code.
var Owners = map[pay.Owner]string{pay.ByClassification: "work classification", pay.ByJob: "job", pay.ByJobKind: "kind of job",
	pay.ByPerson: "person", pay.ByCompany: "company"}

var Pays = map[string]string{"regular": "regular hours", "overtime": "overtime", "double": "double time",
	"salary": "salary", "leave": "leave"}

// CodeWhy says why hours get a pay code: whose it is, and who was asked before
// and names none.
func CodeWhy(u payroll.CodeUse) string {
	words := "nobody names one"
	var silent []string
	for _, n := range u.Asked {
		switch {
		case n.Used:
			words = "the " + Owners[n.Owner] + "’s"
		case !slices.ContainsFunc(u.But, func(b payroll.CodeException) bool { return b.Owner == n.Owner }):
			silent = append(silent, Owners[n.Owner])
		}
	}
	switch {
	case u.As != "":
		words += ": as " + u.As
	case !u.Default && len(silent) == 1:
		words += "; the " + silent[0] + " names none"
	case !u.Default && len(silent) > 1:
		words += "; " + strings.Join(silent[:len(silent)-1], ", ") + " and " + silent[len(silent)-1] + " name none"
	}
	return words
}

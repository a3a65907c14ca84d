package pay

import (
	"testing"

	"manudex/core/when"
)

// The first owner in order that names a code for what is paid.
func TestPayCodes(t *testing.T) {
	codes := Codes{Named: map[CodeKey]map[Pays]string{
		{ByCompany, ""}:          {PaysRegular: "REG", PaysOvertime: "OT", PaysLeave: "PTO"},
		{ByPerson, "tomasz"}:     {PaysRegular: "REG-T", PaysOvertime: "OT-T"},
		{ByJobKind, "gantry"}:    {PaysOvertime: "OT-G"},
		{ByJob, "2231"}:          {PaysRegular: "REG-2231"},
		{ByClassification, "IW"}: {PaysDouble: "DT-IW"},
	}}
	everything := map[Owner]string{ByPerson: "tomasz", ByJobKind: "gantry", ByJob: "2231", ByClassification: "IW"}
	for _, c := range []struct {
		name string
		who  map[Owner]string
		pays Pays
		want string
		by   Owner
	}{
		{"the job's before the person's", everything, PaysRegular, "REG-2231", ByJob},
		{"per class: the job names none for overtime, its kind does", everything, PaysOvertime, "OT-G", ByJobKind},
		{"the classification's first", everything, PaysDouble, "DT-IW", ByClassification},
		{"the company's last", everything, PaysLeave, "PTO", ByCompany},
		{"another job", map[Owner]string{ByPerson: "tomasz", ByJob: "2240"}, PaysRegular, "REG-T", ByPerson},
		{"nobody in particular", nil, PaysRegular, "REG", ByCompany},
		{"nobody names one", everything, PaysSalary, "", ""},
	} {
		if code, by, ok := codes.Find(c.who, c.pays); code != c.want || by != c.by || ok != (c.want != "") {
			t.Errorf("%s: %q by %s, want %q by %s", c.name, code, by, c.want, c.by)
		}
	}
	codes.Order = []Owner{ByPerson, ByJob, ByJobKind, ByClassification, ByCompany}
	if code, by, _ := codes.Find(everything, PaysRegular); code != "REG-T" || by != ByPerson {
		t.Errorf("the order is data: %q by %s", code, by)
	}
	if !ValidOrder(codes.Order) || ValidOrder(codes.Order[1:]) || ValidOrder(append(codes.Order[1:], ByJob)) {
		t.Error("an order names every owner once")
	}
}

// A person's rate is dated; on public work the higher of two is paid.
func TestRateOn(t *testing.T) {
	rates := []DatedRate{{monday + 7, rate("24")}, {monday, rate("22")}}
	for _, c := range []struct {
		after int
		want  string
	}{{-1, "0.00"}, {0, "22.00"}, {6, "22.00"}, {7, "24.00"}, {400, "24.00"}} {
		if got := RateOn(rates, monday+when.Date(c.after)).String(); got != c.want {
			t.Errorf("%d days after: %s, want %s", c.after, got, c.want)
		}
	}
	if BasicRate(rate("30"), rate("32.40")) != rate("32.40") || BasicRate(rate("35"), rate("32.40")) != rate("35") {
		t.Error("the higher of the determination and the person's own")
	}
}

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

// Names and orders hold from a date; an empty code takes the name back.
func TestCodesFrom(t *testing.T) {
	company, job := CodeKey{Owner: ByCompany}, CodeKey{ByJob, "2231"}
	all := CodesFrom([]NamedFrom{
		{job, PaysRegular, monday + 14, ""},
		{company, PaysRegular, monday, "REG"},
		{job, PaysRegular, monday + 7, "R-2231"},
		{company, PaysRegular, monday + 21, "REG2"},
	}, []OrderFrom{{monday + 9, []Owner{ByCompany, ByJob, ByJobKind, ByClassification, ByPerson}}})
	who := map[Owner]string{ByJob: "2231"}
	for _, c := range []struct {
		after int
		want  string
	}{{-1, ""}, {0, "REG"}, {6, "REG"}, {7, "R-2231"}, {8, "R-2231"}, {9, "REG"}, {14, "REG"}, {21, "REG2"}, {900, "REG2"}} {
		got := ""
		if i := CodesOn(all, monday+when.Date(c.after)); i >= 0 {
			got, _, _ = all[i].Find(who, PaysRegular)
		}
		if got != c.want {
			t.Errorf("%d days after: %q, want %q", c.after, got, c.want)
		}
	}
}

// The trace asks in the same order as the look-up, and ends at what it finds.
func TestTraceAgreesWithFind(t *testing.T) {
	codes := Codes{Named: map[CodeKey]map[Pays]string{{ByCompany, ""}: {PaysRegular: "REG"}, {ByJobKind, "k"}: {PaysOvertime: "OT-K"},
		{ByPerson, "p"}: {PaysDouble: "DT-P"}}}
	who := map[Owner]string{ByJobKind: "k", ByPerson: "p", ByJob: "j"}
	for i := range FirstOrder {
		codes.Order = append(append([]Owner{}, FirstOrder[i:]...), FirstOrder[:i]...)
		for _, pays := range []Pays{PaysRegular, PaysOvertime, PaysDouble, PaysLeave} {
			code, by, ok := codes.Find(who, pays)
			asked := codes.Trace(who, pays)
			last := asked[len(asked)-1]
			if last.Used != ok || ok && (last.Code != code || last.Owner != by) || !ok && len(asked) != len(FirstOrder) {
				t.Errorf("%v, %s: found %q by %s, traced %+v", codes.Order, pays, code, by, asked)
			}
			for k, n := range asked {
				if n.Owner != codes.Order[k] || n.Used && k != len(asked)-1 {
					t.Errorf("%v, %s: asked %+v", codes.Order, pays, asked)
				}
			}
		}
	}
}

package files

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"io"
	"math/big"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"manudex/core/refusal"
	"manudex/core/when"
)

// Account is where money is kept: an IBAN (ISO 13616), or a number and the member of a clearing system
// that keeps it. BIC is that of the bank (ISO 9362), where it's known.
type Account struct {
	IBAN   string `json:",omitempty"`
	Number string `json:",omitempty"`
	System string `json:",omitempty"` // code of the clearing system, USABA (ISO 20022 external code list)
	Member string `json:",omitempty"` // of it: a routing number
	BIC    string `json:",omitempty"`
}

// Transfer is what one person gets. ID is its end-to-end id.
type Transfer struct {
	ID     string
	Name   string
	To     Account
	Amount decimal.Decimal
	Text   string // for them
}

// Transfers are credit transfers out of one account on one day.
type Transfers struct {
	Message  string    // its id
	Made     time.Time // whole seconds
	Debtor   string
	From     Account
	On       when.Date
	Currency string
	Decimals int
	Each     []Transfer
}

// latin is what ids may be made of (ISO 20022, the set that every bank takes).
var latin = regexp.MustCompile(`^[A-Za-z0-9/?:().,'+-]([A-Za-z0-9/?:().,'+ -]*[A-Za-z0-9/?:().,'+-])?$`)

// ibanLengths are how long IBANs of countries are (ISO 13616 registry).
var ibanLengths = map[string]int{"AD": 24, "AE": 23, "AL": 28, "AT": 20, "AZ": 28, "BA": 20, "BE": 16, "BG": 22, "BH": 22, "BR": 29,
	"CH": 21,
	"CR": 22, "CY": 28, "CZ": 24, "DE": 22, "DK": 18, "DO": 28, "EE": 20, "EG": 29, "ES": 24, "FI": 18, "FO": 18, "FR": 27, "GB": 22,
	"GE": 22,
	"GI": 23, "GL": 18, "GR": 27, "GT": 28, "HR": 21, "HU": 28, "IE": 22, "IL": 23, "IS": 26, "IT": 27, "JO": 30, "KW": 30, "KZ": 20,
	"LB": 28,
	"LI": 21, "LT": 20, "LU": 20, "LV": 21, "MC": 27, "MD": 24, "ME": 22, "MK": 19, "MR": 27, "MT": 31, "MU": 30, "NL": 18, "NO": 15,
	"PK": 24,
	"PL": 28, "PS": 29, "PT": 25, "QA": 29, "RO": 24, "RS": 22, "SA": 24, "SE": 24, "SI": 19, "SK": 24, "SM": 27, "TN": 24, "TR": 26,
	"UA": 29,
	"VG": 24, "XK": 20}

// ParseIBAN reads an IBAN as it's typed, and checks its length and its check digits (ISO 13616, ISO 7064).
func ParseIBAN(typed string) (string, error) {
	iban := strings.ToUpper(strings.Map(func(r rune) rune {
		if r == ' ' || r == '-' {
			return -1
		}
		return r
	}, typed))
	wrong := func(why string) (string, error) {
		return "", refusal.New("iban", "That is no IBAN: "+why, "Copy it from a statement of the account")
	}
	if len(iban) < 15 || len(iban) > 34 || !regexp.MustCompile(`^[A-Z]{2}[0-9]{2}[A-Z0-9]+$`).MatchString(iban) {
		return wrong("it begins with two letters and two digits, and has 15 to 34 letters and digits")
	}
	if n := ibanLengths[iban[:2]]; n != 0 && n != len(iban) {
		return wrong(fmt.Sprintf("one of %s has %d letters and digits, and this has %d", iban[:2], n, len(iban)))
	}
	var digits strings.Builder
	for _, r := range iban[4:] + iban[:4] {
		if r >= 'A' {
			fmt.Fprint(&digits, int(r-'A')+10)
		} else {
			digits.WriteRune(r)
		}
	}
	n, _ := new(big.Int).SetString(digits.String(), 10) // it's digits alone
	if new(big.Int).Mod(n, big.NewInt(97)).Int64() != 1 {
		return wrong("its check digits don't fit")
	}
	return iban, nil
}

var bicForm = regexp.MustCompile(`^[A-Z0-9]{4}[A-Z]{2}[A-Z0-9]{2}([A-Z0-9]{3})?$`)

// Check refuses an account that no bank could pay into, and gives it as it's written.
func (a Account) Check() (Account, error) {
	a.BIC, a.Number, a.Member = strings.ToUpper(strings.TrimSpace(a.BIC)), strings.TrimSpace(a.Number), strings.TrimSpace(a.Member)
	if a.BIC != "" && !bicForm.MatchString(a.BIC) {
		return a, refusal.New("bic", "That is no BIC", "It has 8 or 11 letters and digits; leave it empty where it isn't known")
	}
	if strings.TrimSpace(a.IBAN) != "" {
		var err error
		a.IBAN, err = ParseIBAN(a.IBAN)
		a.Number, a.System, a.Member = "", "", ""
		return a, err
	}
	switch {
	case a.Number == "" || len(a.Number) > 34 || !latin.MatchString(a.Number):
		return a, refusal.New("number", "There is no account number, or it can't be one",
			"Write an IBAN, or a number of at most 34 characters")
	case a.Member == "" && a.BIC == "":
		return a, refusal.New("member", "It isn't said which bank keeps it", "Write its routing number, or its BIC")
	}
	if a.Member == "" {
		a.System = ""
		return a, nil
	}
	if a.System = "USABA"; !routing(a.Member) {
		return a, refusal.New("member", "That is no routing number", "It has nine digits, of which the last checks the others")
	}
	return a, nil
}

// routing checks a routing number of the American Bankers Association: nine digits, 3-7-1 weighted.
func routing(s string) bool {
	if len(s) != 9 {
		return false
	}
	sum := 0
	for i, r := range s {
		if r < '0' || r > '9' {
			return false
		}
		sum += int(r-'0') * []int{3, 7, 1}[i%3]
	}
	return sum%10 == 0
}

// Shown is the account in part, as one recognises it.
func (a Account) Shown() string {
	number := a.IBAN
	if number == "" {
		number = a.Number
	}
	if len(number) <= 4 {
		return "…"
	}
	return "…" + number[len(number)-4:]
}

// The message, in the order of its definition (pain.001.001.09).
type (
	xmlDocument struct {
		XMLName xml.Name `xml:"urn:iso:std:iso:20022:tech:xsd:pain.001.001.09 Document"`
		Message struct {
			Header  xmlHeader  `xml:"GrpHdr"`
			Payment xmlPayment `xml:"PmtInf"`
		} `xml:"CstmrCdtTrfInitn"`
	}
	xmlHeader struct {
		ID       string   `xml:"MsgId"`
		Made     string   `xml:"CreDtTm"`
		Count    int      `xml:"NbOfTxs"`
		Sum      string   `xml:"CtrlSum"`
		Initiate xmlParty `xml:"InitgPty"`
	}
	xmlParty struct {
		Name string `xml:"Nm"`
	}
	xmlPayment struct {
		ID      string        `xml:"PmtInfId"`
		Method  string        `xml:"PmtMtd"`
		Count   int           `xml:"NbOfTxs"`
		Sum     string        `xml:"CtrlSum"`
		Purpose string        `xml:"PmtTpInf>CtgyPurp>Cd"`
		On      string        `xml:"ReqdExctnDt>Dt"`
		Debtor  xmlParty      `xml:"Dbtr"`
		From    xmlAccount    `xml:"DbtrAcct"`
		Bank    xmlBank       `xml:"DbtrAgt"`
		Each    []xmlTransfer `xml:"CdtTrfTxInf"`
	}
	xmlAccount struct {
		ID struct {
			IBAN  string    `xml:"IBAN,omitempty"`
			Other *xmlOther `xml:"Othr,omitempty"`
		} `xml:"Id"`
	}
	xmlOther struct {
		ID string `xml:"Id"`
	}
	xmlBank struct {
		Institution struct {
			BIC    string     `xml:"BICFI,omitempty"`
			Member *xmlMember `xml:"ClrSysMmbId,omitempty"`
			Other  *xmlOther  `xml:"Othr,omitempty"`
		} `xml:"FinInstnId"`
	}
	xmlMember struct {
		System string `xml:"ClrSysId>Cd"`
		Member string `xml:"MmbId"`
	}
	xmlTransfer struct {
		EndToEnd string      `xml:"PmtId>EndToEndId"`
		Amount   xmlAmount   `xml:"Amt>InstdAmt"`
		Bank     *xmlBank    `xml:"CdtrAgt,omitempty"`
		Creditor xmlParty    `xml:"Cdtr"`
		To       xmlAccount  `xml:"CdtrAcct"`
		Text     *xmlRemarks `xml:"RmtInf,omitempty"`
	}
	xmlRemarks struct {
		Text string `xml:"Ustrd"`
	}
	xmlAmount struct {
		Currency string `xml:"Ccy,attr"`
		Value    string `xml:",chardata"`
	}
)

func accountXML(a Account) (x xmlAccount) {
	if x.ID.IBAN = a.IBAN; a.IBAN == "" {
		x.ID.Other = &xmlOther{a.Number}
	}
	return x
}

func bankXML(a Account) *xmlBank {
	var b xmlBank
	b.Institution.BIC = a.BIC
	if a.Member != "" {
		b.Institution.Member = &xmlMember{a.System, a.Member}
	}
	if a.BIC == "" && a.Member == "" {
		return nil
	}
	return &b
}

// WriteTransfers writes credit transfers as an ISO 20022 message (pain.001.001.09): one batch, out of one
// account on one day. What it writes is held against the message definition before it's given out.
func WriteTransfers(w io.Writer, t Transfers) error {
	var d xmlDocument
	var sum decimal.Decimal
	seen := map[string]bool{}
	for _, x := range t.Each {
		switch {
		case seen[x.ID]:
			return refusal.New("id", "Two transfers have the id "+x.ID, "Each has one of its own")
		case !x.Amount.IsPositive():
			return refusal.New("amount", x.Name+" would get "+x.Amount.String(), "Leave out whoever gets nothing")
		case !x.Amount.Equal(x.Amount.Round(int32(t.Decimals))):
			return refusal.New("amount", "The currency has no such part: "+x.Amount.String(),
				fmt.Sprintf("Write at most %d decimals", t.Decimals))
		}
		seen[x.ID] = true
		sum = sum.Add(x.Amount)
		one := xmlTransfer{EndToEnd: x.ID, Amount: xmlAmount{t.Currency, x.Amount.StringFixed(int32(t.Decimals))}, Bank: bankXML(x.To),
			Creditor: xmlParty{cut(x.Name, 140)}, To: accountXML(x.To)}
		if x.Text != "" {
			one.Text = &xmlRemarks{cut(x.Text, 140)}
		}
		d.Message.Payment.Each = append(d.Message.Payment.Each, one)
	}
	total := sum.StringFixed(int32(t.Decimals))
	d.Message.Header = xmlHeader{ID: t.Message, Made: t.Made.UTC().Format("2006-01-02T15:04:05Z"), Count: len(t.Each), Sum: total,
		Initiate: xmlParty{cut(t.Debtor, 140)}}
	p := &d.Message.Payment
	p.ID, p.Method, p.Count, p.Sum, p.Purpose, p.On = cut(t.Message, 33)+"-1", "TRF", len(t.Each), total, "SALA", t.On.String()
	p.Debtor, p.From = xmlParty{cut(t.Debtor, 140)}, accountXML(t.From)
	if bank := bankXML(t.From); bank != nil {
		p.Bank = *bank
	} else {
		p.Bank.Institution.Other = &xmlOther{"NOTPROVIDED"}
	}
	var b bytes.Buffer
	b.WriteString(xml.Header)
	enc := xml.NewEncoder(&b)
	enc.Indent("", "  ")
	if err := enc.Encode(d); err != nil {
		return fmt.Errorf("write credit transfers: %w", err)
	}
	b.WriteByte('\n')
	if wrong := CheckTransfers(b.Bytes()); len(wrong) > 0 {
		return refusal.New("transfers", "The bank wouldn't take them: "+wrong[0], "Put it right, and make them again")
	}
	_, err := w.Write(b.Bytes())
	return err
}

func cut(s string, most int) string {
	if utf8.RuneCountInString(s) <= most {
		return s
	}
	return string([]rune(s)[:most])
}

// element is a line of the message definition: how often it's there, and what it holds.
type element struct {
	name        string
	least, most int
	of          string // a key of elements, or a kind of text
}

// elements are the parts of pain.001.001.09 that are used, in their order, by the names of their types.
var elements = map[string][]element{
	"document":   {{"CstmrCdtTrfInitn", 1, 1, "initiation"}},
	"initiation": {{"GrpHdr", 1, 1, "header"}, {"PmtInf", 1, -1, "payment"}},
	"header": {{"MsgId", 1, 1, "id35"}, {"CreDtTm", 1, 1, "instant"}, {"NbOfTxs", 1, 1, "count"}, {"CtrlSum", 0, 1, "sum"},
		{"InitgPty", 1, 1, "party"}},
	"party": {{"Nm", 0, 1, "text140"}},
	"payment": {{"PmtInfId", 1, 1, "id35"}, {"PmtMtd", 1, 1, "method"}, {"NbOfTxs", 0, 1, "count"}, {"CtrlSum", 0, 1, "sum"},
		{"PmtTpInf", 0, 1, "kind"}, {"ReqdExctnDt", 1, 1, "day"}, {"Dbtr", 1, 1, "party"}, {"DbtrAcct", 1, 1, "account"},
		{"DbtrAgt", 1, 1, "agent"}, {"CdtTrfTxInf", 1, -1, "transfer"}},
	"kind":        {{"CtgyPurp", 0, 1, "purpose"}},
	"purpose":     {{"Cd", 1, 1, "code4"}},
	"day":         {{"Dt", 1, 1, "date"}},
	"account":     {{"Id", 1, 1, "accountid"}},
	"accountid":   {{"IBAN", 0, 1, "iban"}, {"Othr", 0, 1, "other"}},
	"other":       {{"Id", 1, 1, "text34"}},
	"agent":       {{"FinInstnId", 1, 1, "institution"}},
	"institution": {{"BICFI", 0, 1, "bic"}, {"ClrSysMmbId", 0, 1, "member"}, {"Othr", 0, 1, "otheragent"}},
	"otheragent":  {{"Id", 1, 1, "id35"}},
	"member":      {{"ClrSysId", 0, 1, "system"}, {"MmbId", 1, 1, "id35"}},
	"system":      {{"Cd", 1, 1, "code5"}},
	"transfer": {{"PmtId", 1, 1, "ids"}, {"Amt", 1, 1, "amount"}, {"CdtrAgt", 0, 1, "agent"}, {"Cdtr", 0, 1, "party"},
		{"CdtrAcct", 0, 1, "account"}, {"RmtInf", 0, 1, "remarks"}},
	"ids":     {{"EndToEndId", 1, 1, "id35"}},
	"amount":  {{"InstdAmt", 1, 1, "money"}},
	"remarks": {{"Ustrd", 0, -1, "text140"}},
}

// texts are the kinds of text, and what one is like.
var texts = map[string]*regexp.Regexp{
	"instant": regexp.MustCompile(`^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(Z|[+-]\d\d:\d\d)$`), "count": regexp.MustCompile(`^\d{1,15}$`),
	"sum": regexp.MustCompile(`^\d{1,17}(\.\d{1,17})?$`), "date": regexp.MustCompile(`^\d{4}-\d\d-\d\d$`),
	"method": regexp.MustCompile(`^(CHK|TRF|TRA)$`),
	"code4":  regexp.MustCompile(`^[A-Z0-9]{1,4}$`), "code5": regexp.MustCompile(`^[A-Z0-9]{1,5}$`), "bic": bicForm,
	"money": regexp.MustCompile(`^\d{1,13}(\.\d{1,5})?$`), "text34": regexp.MustCompile(`^.{1,34}$`),
	"text140": regexp.MustCompile(`^.{1,140}$`),
}

// node is an element that was read.
type node struct {
	XMLName xml.Name
	Attrs   []xml.Attr `xml:",any,attr"`
	Text    string     `xml:",chardata"`
	Nodes   []node     `xml:",any"`
}

// CheckTransfers holds a message against its definition: the order of its elements, how often each is there, and what
// each holds; against the counts and sums it names; and its ids against one another. It says what is wrong.
func CheckTransfers(data []byte) (wrong []string) {
	var d node
	if err := xml.Unmarshal(data, &d); err != nil {
		return []string{"it isn't XML: " + err.Error()}
	}
	if d.XMLName.Space != "urn:iso:std:iso:20022:tech:xsd:pain.001.001.09" || d.XMLName.Local != "Document" {
		return []string{"it is no pain.001.001.09"}
	}
	c := checker{ids: map[string]bool{}}
	c.check(d, "Document", "document")
	if len(c.wrong) == 0 {
		c.sums(d)
	}
	return c.wrong
}

type checker struct {
	wrong []string
	ids   map[string]bool
}

func (c *checker) say(format string, v ...any) { c.wrong = append(c.wrong, fmt.Sprintf(format, v...)) }

func (c *checker) check(n node, path, kind string) {
	parts, whole := elements[kind]
	if !whole {
		c.text(n, path, kind)
		return
	}
	at := 0
	counts := map[string]int{}
	for _, child := range n.Nodes {
		name := child.XMLName.Local
		i := slices.IndexFunc(parts, func(e element) bool { return e.name == name })
		switch {
		case i < 0:
			c.say("%s can't hold %s", path, name)
			continue
		case i < at:
			c.say("%s stands too late in %s", name, path)
		}
		at = max(at, i)
		counts[name]++
		c.check(child, path+"/"+name, parts[i].of)
	}
	for _, e := range parts {
		switch n := counts[e.name]; {
		case n < e.least:
			c.say("%s is missing in %s", e.name, path)
		case e.most >= 0 && n > e.most:
			c.say("%s is there %d times in %s", e.name, n, path)
		}
	}
	if kind == "accountid" && len(n.Nodes) != 1 {
		c.say("%s holds an IBAN or another id", path)
	}
}

func (c *checker) text(n node, path, kind string) {
	if len(n.Nodes) > 0 {
		c.say("%s holds elements", path)
		return
	}
	switch kind {
	case "id35":
		if utf8.RuneCountInString(n.Text) > 35 || !latin.MatchString(n.Text) {
			c.say("%s is “%s”: at most 35 characters of the Latin set", path, n.Text)
		}
		if strings.HasSuffix(path, "EndToEndId") {
			if c.ids[n.Text] {
				c.say("the id %s is there twice", n.Text)
			}
			c.ids[n.Text] = true
		}
	case "iban":
		if _, err := ParseIBAN(n.Text); err != nil {
			c.say("%s: %s", path, err)
		}
	default:
		if !texts[kind].MatchString(n.Text) {
			c.say("%s can't be “%s”", path, n.Text)
		}
	}
	if kind == "money" && (len(n.Attrs) != 1 || n.Attrs[0].Name.Local != "Ccy" ||
		!regexp.MustCompile(`^[A-Z]{3}$`).MatchString(n.Attrs[0].Value)) {
		c.say("%s names no currency", path)
	}
}

// find gives the elements of a path below a node.
func (n node) find(names ...string) (found []node) {
	if len(names) == 0 {
		return []node{n}
	}
	for _, child := range n.Nodes {
		if child.XMLName.Local == names[0] {
			found = append(found, child.find(names[1:]...)...)
		}
	}
	return found
}

// sums holds counts and sums against the transfers.
func (c *checker) sums(d node) {
	whole, count := decimal.Zero, 0
	check := func(of node, path string, sum decimal.Decimal, n int) {
		for _, x := range of.find("NbOfTxs") {
			if x.Text != fmt.Sprint(n) {
				c.say("%s names %s transfers and holds %d", path, x.Text, n)
			}
		}
		for _, x := range of.find("CtrlSum") {
			if !decimal.RequireFromString(x.Text).Equal(sum) {
				c.say("%s names %s and comes to %s", path, x.Text, sum)
			}
		}
	}
	for _, p := range d.find("CstmrCdtTrfInitn", "PmtInf") {
		sum, n := decimal.Zero, 0
		for _, x := range p.find("CdtTrfTxInf", "Amt", "InstdAmt") {
			sum, n = sum.Add(decimal.RequireFromString(x.Text)), n+1
		}
		check(p, "PmtInf", sum, n)
		whole, count = whole.Add(sum), count+n
	}
	for _, h := range d.find("CstmrCdtTrfInitn", "GrpHdr") {
		check(h, "GrpHdr", whole, count)
	}
}

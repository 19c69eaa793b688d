package alarm

// Template is somebody's own words for notices of a kind, in any language, as a Mustache template. What a part leaves
// empty stays as it is built in.
type Template struct {
	On    string `json:"on" enum:"raise,silent,worsen,ease,latched,return,hand,taken,summary" doc:"which notices"`
	Short string `json:"short" required:"false" maxLength:"400" doc:"one line: the subject of an e-mail, a text message, what a call says first" example:"{{severity}}: {{sentence}}"`
	Long  string `json:"long" required:"false" maxLength:"4000" doc:"all of it: the body of an e-mail" example:"{{sentence}} since {{since}}. {{#advice}}{{advice}}{{/advice}}"`
}

// Templates is a list of templates, as the database keeps it.
type Templates []Template

package people

import "jauntylark/server/web"

// Operations have the operations of each file answered.
var Operations = []func(*web.Server){
	alarmsOperations, noticesOperations, reachOperations, sessionsOperations, statementsOperations,
	acknowledgeOperations,
}

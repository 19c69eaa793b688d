package record

import "jauntylark/server/web"

// Operations have the operations of each file answered.
var Operations = []func(*web.Server){
	assetFilesOperations, assetsOperations, boardsOperations, runReportOperations, runsOperations,
}

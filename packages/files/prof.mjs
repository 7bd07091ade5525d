var __create = Object.create;
var __defProp = Object.defineProperty;
var __getOwnPropDesc = Object.getOwnPropertyDescriptor;
var __getOwnPropNames = Object.getOwnPropertyNames;
var __getProtoOf = Object.getPrototypeOf;
var __hasOwnProp = Object.prototype.hasOwnProperty;
var __commonJS = (cb, mod) => function __require() {
  try {
    return mod || (0, cb[__getOwnPropNames(cb)[0]])((mod = { exports: {} }).exports, mod), mod.exports;
  } catch (e) {
    throw mod = 0, e;
  }
};
var __copyProps = (to, from, except, desc) => {
  if (from && typeof from === "object" || typeof from === "function") {
    for (let key of __getOwnPropNames(from))
      if (!__hasOwnProp.call(to, key) && key !== except)
        __defProp(to, key, { get: () => from[key], enumerable: !(desc = __getOwnPropDesc(from, key)) || desc.enumerable });
  }
  return to;
};
var __toESM = (mod, isNodeMode, target) => (target = mod != null ? __create(__getProtoOf(mod)) : {}, __copyProps(
  // If the importer is in node compatibility mode or this is not an ESM
  // file that has been converted to a CommonJS file using a Babel-
  // compatible transform (i.e. "__esModule" has not been set), then set
  // "default" to the CommonJS "module.exports" for node compatibility.
  isNodeMode || !mod || !mod.__esModule ? __defProp(target, "default", { value: mod, enumerable: true }) : target,
  mod
));

// node_modules/xmlchars/xml/1.0/ed5.js
var require_ed5 = __commonJS({
  "node_modules/xmlchars/xml/1.0/ed5.js"(exports) {
    "use strict";
    Object.defineProperty(exports, "__esModule", { value: true });
    exports.CHAR = "	\n\r -\uD7FF\uE000-\uFFFD\u{10000}-\u{10FFFF}";
    exports.S = " 	\r\n";
    exports.NAME_START_CHAR = ":A-Z_a-z\xC0-\xD6\xD8-\xF6\xF8-\u02FF\u0370-\u037D\u037F-\u1FFF\u200C\u200D\u2070-\u218F\u2C00-\u2FEF\u3001-\uD7FF\uF900-\uFDCF\uFDF0-\uFFFD\u{10000}-\u{EFFFF}";
    exports.NAME_CHAR = "-" + exports.NAME_START_CHAR + ".0-9\xB7\u0300-\u036F\u203F-\u2040";
    exports.CHAR_RE = new RegExp("^[" + exports.CHAR + "]$", "u");
    exports.S_RE = new RegExp("^[" + exports.S + "]+$", "u");
    exports.NAME_START_CHAR_RE = new RegExp("^[" + exports.NAME_START_CHAR + "]$", "u");
    exports.NAME_CHAR_RE = new RegExp("^[" + exports.NAME_CHAR + "]$", "u");
    exports.NAME_RE = new RegExp("^[" + exports.NAME_START_CHAR + "][" + exports.NAME_CHAR + "]*$", "u");
    exports.NMTOKEN_RE = new RegExp("^[" + exports.NAME_CHAR + "]+$", "u");
    var TAB = 9;
    var NL = 10;
    var CR = 13;
    var SPACE = 32;
    exports.S_LIST = [SPACE, NL, CR, TAB];
    function isChar(c) {
      return c >= SPACE && c <= 55295 || c === NL || c === CR || c === TAB || c >= 57344 && c <= 65533 || c >= 65536 && c <= 1114111;
    }
    exports.isChar = isChar;
    function isS(c) {
      return c === SPACE || c === NL || c === CR || c === TAB;
    }
    exports.isS = isS;
    function isNameStartChar(c) {
      return c >= 65 && c <= 90 || c >= 97 && c <= 122 || c === 58 || c === 95 || c === 8204 || c === 8205 || c >= 192 && c <= 214 || c >= 216 && c <= 246 || c >= 248 && c <= 767 || c >= 880 && c <= 893 || c >= 895 && c <= 8191 || c >= 8304 && c <= 8591 || c >= 11264 && c <= 12271 || c >= 12289 && c <= 55295 || c >= 63744 && c <= 64975 || c >= 65008 && c <= 65533 || c >= 65536 && c <= 983039;
    }
    exports.isNameStartChar = isNameStartChar;
    function isNameChar(c) {
      return isNameStartChar(c) || c >= 48 && c <= 57 || c === 45 || c === 46 || c === 183 || c >= 768 && c <= 879 || c >= 8255 && c <= 8256;
    }
    exports.isNameChar = isNameChar;
  }
});

// node_modules/xmlchars/xml/1.1/ed2.js
var require_ed2 = __commonJS({
  "node_modules/xmlchars/xml/1.1/ed2.js"(exports) {
    "use strict";
    Object.defineProperty(exports, "__esModule", { value: true });
    exports.CHAR = "-\uD7FF\uE000-\uFFFD\u{10000}-\u{10FFFF}";
    exports.RESTRICTED_CHAR = "-\b\v\f-\x7F-\x84\x86-\x9F";
    exports.S = " 	\r\n";
    exports.NAME_START_CHAR = ":A-Z_a-z\xC0-\xD6\xD8-\xF6\xF8-\u02FF\u0370-\u037D\u037F-\u1FFF\u200C\u200D\u2070-\u218F\u2C00-\u2FEF\u3001-\uD7FF\uF900-\uFDCF\uFDF0-\uFFFD\u{10000}-\u{EFFFF}";
    exports.NAME_CHAR = "-" + exports.NAME_START_CHAR + ".0-9\xB7\u0300-\u036F\u203F-\u2040";
    exports.CHAR_RE = new RegExp("^[" + exports.CHAR + "]$", "u");
    exports.RESTRICTED_CHAR_RE = new RegExp("^[" + exports.RESTRICTED_CHAR + "]$", "u");
    exports.S_RE = new RegExp("^[" + exports.S + "]+$", "u");
    exports.NAME_START_CHAR_RE = new RegExp("^[" + exports.NAME_START_CHAR + "]$", "u");
    exports.NAME_CHAR_RE = new RegExp("^[" + exports.NAME_CHAR + "]$", "u");
    exports.NAME_RE = new RegExp("^[" + exports.NAME_START_CHAR + "][" + exports.NAME_CHAR + "]*$", "u");
    exports.NMTOKEN_RE = new RegExp("^[" + exports.NAME_CHAR + "]+$", "u");
    var TAB = 9;
    var NL = 10;
    var CR = 13;
    var SPACE = 32;
    exports.S_LIST = [SPACE, NL, CR, TAB];
    function isChar(c) {
      return c >= 1 && c <= 55295 || c >= 57344 && c <= 65533 || c >= 65536 && c <= 1114111;
    }
    exports.isChar = isChar;
    function isRestrictedChar(c) {
      return c >= 1 && c <= 8 || c === 11 || c === 12 || c >= 14 && c <= 31 || c >= 127 && c <= 132 || c >= 134 && c <= 159;
    }
    exports.isRestrictedChar = isRestrictedChar;
    function isCharAndNotRestricted(c) {
      return c === 9 || c === 10 || c === 13 || c > 31 && c < 127 || c === 133 || c > 159 && c <= 55295 || c >= 57344 && c <= 65533 || c >= 65536 && c <= 1114111;
    }
    exports.isCharAndNotRestricted = isCharAndNotRestricted;
    function isS(c) {
      return c === SPACE || c === NL || c === CR || c === TAB;
    }
    exports.isS = isS;
    function isNameStartChar(c) {
      return c >= 65 && c <= 90 || c >= 97 && c <= 122 || c === 58 || c === 95 || c === 8204 || c === 8205 || c >= 192 && c <= 214 || c >= 216 && c <= 246 || c >= 248 && c <= 767 || c >= 880 && c <= 893 || c >= 895 && c <= 8191 || c >= 8304 && c <= 8591 || c >= 11264 && c <= 12271 || c >= 12289 && c <= 55295 || c >= 63744 && c <= 64975 || c >= 65008 && c <= 65533 || c >= 65536 && c <= 983039;
    }
    exports.isNameStartChar = isNameStartChar;
    function isNameChar(c) {
      return isNameStartChar(c) || c >= 48 && c <= 57 || c === 45 || c === 46 || c === 183 || c >= 768 && c <= 879 || c >= 8255 && c <= 8256;
    }
    exports.isNameChar = isNameChar;
  }
});

// node_modules/xmlchars/xmlns/1.0/ed3.js
var require_ed3 = __commonJS({
  "node_modules/xmlchars/xmlns/1.0/ed3.js"(exports) {
    "use strict";
    Object.defineProperty(exports, "__esModule", { value: true });
    exports.NC_NAME_START_CHAR = "A-Z_a-z\xC0-\xD6\xD8-\xF6\xF8-\u02FF\u0370-\u037D\u037F-\u1FFF\u200C-\u200D\u2070-\u218F\u2C00-\u2FEF\u3001-\uD7FF\uF900-\uFDCF\uFDF0-\uFFFD\u{10000}-\u{EFFFF}";
    exports.NC_NAME_CHAR = "-" + exports.NC_NAME_START_CHAR + ".0-9\xB7\u0300-\u036F\u203F-\u2040";
    exports.NC_NAME_START_CHAR_RE = new RegExp("^[" + exports.NC_NAME_START_CHAR + "]$", "u");
    exports.NC_NAME_CHAR_RE = new RegExp("^[" + exports.NC_NAME_CHAR + "]$", "u");
    exports.NC_NAME_RE = new RegExp("^[" + exports.NC_NAME_START_CHAR + "][" + exports.NC_NAME_CHAR + "]*$", "u");
    function isNCNameStartChar(c) {
      return c >= 65 && c <= 90 || c === 95 || c >= 97 && c <= 122 || c >= 192 && c <= 214 || c >= 216 && c <= 246 || c >= 248 && c <= 767 || c >= 880 && c <= 893 || c >= 895 && c <= 8191 || c >= 8204 && c <= 8205 || c >= 8304 && c <= 8591 || c >= 11264 && c <= 12271 || c >= 12289 && c <= 55295 || c >= 63744 && c <= 64975 || c >= 65008 && c <= 65533 || c >= 65536 && c <= 983039;
    }
    exports.isNCNameStartChar = isNCNameStartChar;
    function isNCNameChar(c) {
      return isNCNameStartChar(c) || (c === 45 || c === 46 || c >= 48 && c <= 57 || c === 183 || c >= 768 && c <= 879 || c >= 8255 && c <= 8256);
    }
    exports.isNCNameChar = isNCNameChar;
  }
});

// node_modules/saxes/saxes.js
var require_saxes = __commonJS({
  "node_modules/saxes/saxes.js"(exports) {
    "use strict";
    Object.defineProperty(exports, "__esModule", { value: true });
    exports.SaxesParser = exports.EVENTS = void 0;
    var ed5 = require_ed5();
    var ed2 = require_ed2();
    var NSed3 = require_ed3();
    var isS = ed5.isS;
    var isChar10 = ed5.isChar;
    var isNameStartChar = ed5.isNameStartChar;
    var isNameChar = ed5.isNameChar;
    var S_LIST = ed5.S_LIST;
    var NAME_RE = ed5.NAME_RE;
    var isChar11 = ed2.isChar;
    var isNCNameStartChar = NSed3.isNCNameStartChar;
    var isNCNameChar = NSed3.isNCNameChar;
    var NC_NAME_RE = NSed3.NC_NAME_RE;
    var XML_NAMESPACE = "http://www.w3.org/XML/1998/namespace";
    var XMLNS_NAMESPACE = "http://www.w3.org/2000/xmlns/";
    var rootNS = {
      // eslint-disable-next-line @typescript-eslint/no-explicit-any, @typescript-eslint/no-unsafe-assignment
      __proto__: null,
      xml: XML_NAMESPACE,
      xmlns: XMLNS_NAMESPACE
    };
    var XML_ENTITIES = {
      // eslint-disable-next-line @typescript-eslint/no-explicit-any, @typescript-eslint/no-unsafe-assignment
      __proto__: null,
      amp: "&",
      gt: ">",
      lt: "<",
      quot: '"',
      apos: "'"
    };
    var EOC = -1;
    var NL_LIKE = -2;
    var S_BEGIN = 0;
    var S_BEGIN_WHITESPACE = 1;
    var S_DOCTYPE = 2;
    var S_DOCTYPE_QUOTE = 3;
    var S_DTD = 4;
    var S_DTD_QUOTED = 5;
    var S_DTD_OPEN_WAKA = 6;
    var S_DTD_OPEN_WAKA_BANG = 7;
    var S_DTD_COMMENT = 8;
    var S_DTD_COMMENT_ENDING = 9;
    var S_DTD_COMMENT_ENDED = 10;
    var S_DTD_PI = 11;
    var S_DTD_PI_ENDING = 12;
    var S_TEXT = 13;
    var S_ENTITY = 14;
    var S_OPEN_WAKA = 15;
    var S_OPEN_WAKA_BANG = 16;
    var S_COMMENT = 17;
    var S_COMMENT_ENDING = 18;
    var S_COMMENT_ENDED = 19;
    var S_CDATA = 20;
    var S_CDATA_ENDING = 21;
    var S_CDATA_ENDING_2 = 22;
    var S_PI_FIRST_CHAR = 23;
    var S_PI_REST = 24;
    var S_PI_BODY = 25;
    var S_PI_ENDING = 26;
    var S_XML_DECL_NAME_START = 27;
    var S_XML_DECL_NAME = 28;
    var S_XML_DECL_EQ = 29;
    var S_XML_DECL_VALUE_START = 30;
    var S_XML_DECL_VALUE = 31;
    var S_XML_DECL_SEPARATOR = 32;
    var S_XML_DECL_ENDING = 33;
    var S_OPEN_TAG = 34;
    var S_OPEN_TAG_SLASH = 35;
    var S_ATTRIB = 36;
    var S_ATTRIB_NAME = 37;
    var S_ATTRIB_NAME_SAW_WHITE = 38;
    var S_ATTRIB_VALUE = 39;
    var S_ATTRIB_VALUE_QUOTED = 40;
    var S_ATTRIB_VALUE_CLOSED = 41;
    var S_ATTRIB_VALUE_UNQUOTED = 42;
    var S_CLOSE_TAG = 43;
    var S_CLOSE_TAG_SAW_WHITE = 44;
    var TAB = 9;
    var NL = 10;
    var CR = 13;
    var SPACE = 32;
    var BANG = 33;
    var DQUOTE = 34;
    var AMP = 38;
    var SQUOTE = 39;
    var MINUS = 45;
    var FORWARD_SLASH = 47;
    var SEMICOLON = 59;
    var LESS = 60;
    var EQUAL = 61;
    var GREATER = 62;
    var QUESTION = 63;
    var OPEN_BRACKET = 91;
    var CLOSE_BRACKET = 93;
    var NEL = 133;
    var LS = 8232;
    var isQuote = (c) => c === DQUOTE || c === SQUOTE;
    var QUOTES = [DQUOTE, SQUOTE];
    var DOCTYPE_TERMINATOR = [...QUOTES, OPEN_BRACKET, GREATER];
    var DTD_TERMINATOR = [...QUOTES, LESS, CLOSE_BRACKET];
    var XML_DECL_NAME_TERMINATOR = [EQUAL, QUESTION, ...S_LIST];
    var ATTRIB_VALUE_UNQUOTED_TERMINATOR = [...S_LIST, GREATER, AMP, LESS];
    function nsPairCheck(parser, prefix, uri) {
      switch (prefix) {
        case "xml":
          if (uri !== XML_NAMESPACE) {
            parser.fail(`xml prefix must be bound to ${XML_NAMESPACE}.`);
          }
          break;
        case "xmlns":
          if (uri !== XMLNS_NAMESPACE) {
            parser.fail(`xmlns prefix must be bound to ${XMLNS_NAMESPACE}.`);
          }
          break;
        default:
      }
      switch (uri) {
        case XMLNS_NAMESPACE:
          parser.fail(prefix === "" ? `the default namespace may not be set to ${uri}.` : `may not assign a prefix (even "xmlns") to the URI ${XMLNS_NAMESPACE}.`);
          break;
        case XML_NAMESPACE:
          switch (prefix) {
            case "xml":
              break;
            case "":
              parser.fail(`the default namespace may not be set to ${uri}.`);
              break;
            default:
              parser.fail("may not assign the xml namespace to another prefix.");
          }
          break;
        default:
      }
    }
    function nsMappingCheck(parser, mapping) {
      for (const local2 of Object.keys(mapping)) {
        nsPairCheck(parser, local2, mapping[local2]);
      }
    }
    var isNCName = (name) => NC_NAME_RE.test(name);
    var isName = (name) => NAME_RE.test(name);
    var FORBIDDEN_START = 0;
    var FORBIDDEN_BRACKET = 1;
    var FORBIDDEN_BRACKET_BRACKET = 2;
    exports.EVENTS = [
      "xmldecl",
      "text",
      "processinginstruction",
      "doctype",
      "comment",
      "opentagstart",
      "attribute",
      "opentag",
      "closetag",
      "cdata",
      "error",
      "end",
      "ready"
    ];
    var EVENT_NAME_TO_HANDLER_NAME = {
      xmldecl: "xmldeclHandler",
      text: "textHandler",
      processinginstruction: "piHandler",
      doctype: "doctypeHandler",
      comment: "commentHandler",
      opentagstart: "openTagStartHandler",
      attribute: "attributeHandler",
      opentag: "openTagHandler",
      closetag: "closeTagHandler",
      cdata: "cdataHandler",
      error: "errorHandler",
      end: "endHandler",
      ready: "readyHandler"
    };
    var SaxesParser3 = class {
      /**
       * @param opt The parser options.
       */
      constructor(opt) {
        this.opt = opt !== null && opt !== void 0 ? opt : {};
        this.fragmentOpt = !!this.opt.fragment;
        const xmlnsOpt = this.xmlnsOpt = !!this.opt.xmlns;
        this.trackPosition = this.opt.position !== false;
        this.fileName = this.opt.fileName;
        if (xmlnsOpt) {
          this.nameStartCheck = isNCNameStartChar;
          this.nameCheck = isNCNameChar;
          this.isName = isNCName;
          this.processAttribs = this.processAttribsNS;
          this.pushAttrib = this.pushAttribNS;
          this.ns = Object.assign({ __proto__: null }, rootNS);
          const additional = this.opt.additionalNamespaces;
          if (additional != null) {
            nsMappingCheck(this, additional);
            Object.assign(this.ns, additional);
          }
        } else {
          this.nameStartCheck = isNameStartChar;
          this.nameCheck = isNameChar;
          this.isName = isName;
          this.processAttribs = this.processAttribsPlain;
          this.pushAttrib = this.pushAttribPlain;
        }
        this.stateTable = [
          /* eslint-disable @typescript-eslint/unbound-method */
          this.sBegin,
          this.sBeginWhitespace,
          this.sDoctype,
          this.sDoctypeQuote,
          this.sDTD,
          this.sDTDQuoted,
          this.sDTDOpenWaka,
          this.sDTDOpenWakaBang,
          this.sDTDComment,
          this.sDTDCommentEnding,
          this.sDTDCommentEnded,
          this.sDTDPI,
          this.sDTDPIEnding,
          this.sText,
          this.sEntity,
          this.sOpenWaka,
          this.sOpenWakaBang,
          this.sComment,
          this.sCommentEnding,
          this.sCommentEnded,
          this.sCData,
          this.sCDataEnding,
          this.sCDataEnding2,
          this.sPIFirstChar,
          this.sPIRest,
          this.sPIBody,
          this.sPIEnding,
          this.sXMLDeclNameStart,
          this.sXMLDeclName,
          this.sXMLDeclEq,
          this.sXMLDeclValueStart,
          this.sXMLDeclValue,
          this.sXMLDeclSeparator,
          this.sXMLDeclEnding,
          this.sOpenTag,
          this.sOpenTagSlash,
          this.sAttrib,
          this.sAttribName,
          this.sAttribNameSawWhite,
          this.sAttribValue,
          this.sAttribValueQuoted,
          this.sAttribValueClosed,
          this.sAttribValueUnquoted,
          this.sCloseTag,
          this.sCloseTagSawWhite
          /* eslint-enable @typescript-eslint/unbound-method */
        ];
        this._init();
      }
      /**
       * Indicates whether or not the parser is closed. If ``true``, wait for
       * the ``ready`` event to write again.
       */
      get closed() {
        return this._closed;
      }
      _init() {
        var _a;
        this.openWakaBang = "";
        this.text = "";
        this.name = "";
        this.piTarget = "";
        this.entity = "";
        this.q = null;
        this.tags = [];
        this.tag = null;
        this.topNS = null;
        this.chunk = "";
        this.chunkPosition = 0;
        this.i = 0;
        this.prevI = 0;
        this.carriedFromPrevious = void 0;
        this.forbiddenState = FORBIDDEN_START;
        this.attribList = [];
        const { fragmentOpt } = this;
        this.state = fragmentOpt ? S_TEXT : S_BEGIN;
        this.reportedTextBeforeRoot = this.reportedTextAfterRoot = this.closedRoot = this.sawRoot = fragmentOpt;
        this.xmlDeclPossible = !fragmentOpt;
        this.xmlDeclExpects = ["version"];
        this.entityReturnState = void 0;
        let { defaultXMLVersion } = this.opt;
        if (defaultXMLVersion === void 0) {
          if (this.opt.forceXMLVersion === true) {
            throw new Error("forceXMLVersion set but defaultXMLVersion is not set");
          }
          defaultXMLVersion = "1.0";
        }
        this.setXMLVersion(defaultXMLVersion);
        this.positionAtNewLine = 0;
        this.doctype = false;
        this._closed = false;
        this.xmlDecl = {
          version: void 0,
          encoding: void 0,
          standalone: void 0
        };
        this.line = 1;
        this.column = 0;
        this.ENTITIES = Object.create(XML_ENTITIES);
        (_a = this.readyHandler) === null || _a === void 0 ? void 0 : _a.call(this);
      }
      /**
       * The stream position the parser is currently looking at. This field is
       * zero-based.
       *
       * This field is not based on counting Unicode characters but is to be
       * interpreted as a plain index into a JavaScript string.
       */
      get position() {
        return this.chunkPosition + this.i;
      }
      /**
       * The column number of the next character to be read by the parser.  *
       * This field is zero-based. (The first column in a line is 0.)
       *
       * This field reports the index at which the next character would be in the
       * line if the line were represented as a JavaScript string.  Note that this
       * *can* be different to a count based on the number of *Unicode characters*
       * due to how JavaScript handles astral plane characters.
       *
       * See [[column]] for a number that corresponds to a count of Unicode
       * characters.
       */
      get columnIndex() {
        return this.position - this.positionAtNewLine;
      }
      /**
       * Set an event listener on an event. The parser supports one handler per
       * event type. If you try to set an event handler over an existing handler,
       * the old handler is silently overwritten.
       *
       * @param name The event to listen to.
       *
       * @param handler The handler to set.
       */
      on(name, handler) {
        this[EVENT_NAME_TO_HANDLER_NAME[name]] = handler;
      }
      /**
       * Unset an event handler.
       *
       * @parma name The event to stop listening to.
       */
      off(name) {
        this[EVENT_NAME_TO_HANDLER_NAME[name]] = void 0;
      }
      /**
       * Make an error object. The error object will have a message that contains
       * the ``fileName`` option passed at the creation of the parser. If position
       * tracking was turned on, it will also have line and column number
       * information.
       *
       * @param message The message describing the error to report.
       *
       * @returns An error object with a properly formatted message.
       */
      makeError(message) {
        var _a;
        let msg = (_a = this.fileName) !== null && _a !== void 0 ? _a : "";
        if (this.trackPosition) {
          if (msg.length > 0) {
            msg += ":";
          }
          msg += `${this.line}:${this.column}`;
        }
        if (msg.length > 0) {
          msg += ": ";
        }
        return new Error(msg + message);
      }
      /**
       * Report a parsing error. This method is made public so that client code may
       * check for issues that are outside the scope of this project and can report
       * errors.
       *
       * @param message The error to report.
       *
       * @returns this
       */
      fail(message) {
        const err = this.makeError(message);
        const handler = this.errorHandler;
        if (handler === void 0) {
          throw err;
        } else {
          handler(err);
        }
        return this;
      }
      /**
       * Write a XML data to the parser.
       *
       * @param chunk The XML data to write.
       *
       * @returns this
       */
      // We do need object for the type here. Yes, it often causes problems
      // but not in this case.
      write(chunk) {
        if (this.closed) {
          return this.fail("cannot write after close; assign an onready handler.");
        }
        let end = false;
        if (chunk === null) {
          end = true;
          chunk = "";
        } else if (typeof chunk === "object") {
          chunk = chunk.toString();
        }
        if (this.carriedFromPrevious !== void 0) {
          chunk = `${this.carriedFromPrevious}${chunk}`;
          this.carriedFromPrevious = void 0;
        }
        let limit = chunk.length;
        const lastCode = chunk.charCodeAt(limit - 1);
        if (!end && // A trailing CR or surrogate must be carried over to the next
        // chunk.
        (lastCode === CR || lastCode >= 55296 && lastCode <= 56319)) {
          this.carriedFromPrevious = chunk[limit - 1];
          limit--;
          chunk = chunk.slice(0, limit);
        }
        const { stateTable } = this;
        this.chunk = chunk;
        this.i = 0;
        while (this.i < limit) {
          stateTable[this.state].call(this);
        }
        this.chunkPosition += limit;
        return end ? this.end() : this;
      }
      /**
       * Close the current stream. Perform final well-formedness checks and reset
       * the parser tstate.
       *
       * @returns this
       */
      close() {
        return this.write(null);
      }
      /**
       * Get a single code point out of the current chunk. This updates the current
       * position if we do position tracking.
       *
       * This is the algorithm to use for XML 1.0.
       *
       * @returns The character read.
       */
      getCode10() {
        const { chunk, i } = this;
        this.prevI = i;
        this.i = i + 1;
        if (i >= chunk.length) {
          return EOC;
        }
        const code = chunk.charCodeAt(i);
        this.column++;
        if (code < 55296) {
          if (code >= SPACE || code === TAB) {
            return code;
          }
          switch (code) {
            case NL:
              this.line++;
              this.column = 0;
              this.positionAtNewLine = this.position;
              return NL;
            case CR:
              if (chunk.charCodeAt(i + 1) === NL) {
                this.i = i + 2;
              }
              this.line++;
              this.column = 0;
              this.positionAtNewLine = this.position;
              return NL_LIKE;
            default:
              this.fail("disallowed character.");
              return code;
          }
        }
        if (code > 56319) {
          if (!(code >= 57344 && code <= 65533)) {
            this.fail("disallowed character.");
          }
          return code;
        }
        const final = 65536 + (code - 55296) * 1024 + (chunk.charCodeAt(i + 1) - 56320);
        this.i = i + 2;
        if (final > 1114111) {
          this.fail("disallowed character.");
        }
        return final;
      }
      /**
       * Get a single code point out of the current chunk. This updates the current
       * position if we do position tracking.
       *
       * This is the algorithm to use for XML 1.1.
       *
       * @returns {number} The character read.
       */
      getCode11() {
        const { chunk, i } = this;
        this.prevI = i;
        this.i = i + 1;
        if (i >= chunk.length) {
          return EOC;
        }
        const code = chunk.charCodeAt(i);
        this.column++;
        if (code < 55296) {
          if (code > 31 && code < 127 || code > 159 && code !== LS || code === TAB) {
            return code;
          }
          switch (code) {
            case NL:
              this.line++;
              this.column = 0;
              this.positionAtNewLine = this.position;
              return NL;
            case CR: {
              const next = chunk.charCodeAt(i + 1);
              if (next === NL || next === NEL) {
                this.i = i + 2;
              }
            }
            /* yes, fall through */
            case NEL:
            // 0x85
            case LS:
              this.line++;
              this.column = 0;
              this.positionAtNewLine = this.position;
              return NL_LIKE;
            default:
              this.fail("disallowed character.");
              return code;
          }
        }
        if (code > 56319) {
          if (!(code >= 57344 && code <= 65533)) {
            this.fail("disallowed character.");
          }
          return code;
        }
        const final = 65536 + (code - 55296) * 1024 + (chunk.charCodeAt(i + 1) - 56320);
        this.i = i + 2;
        if (final > 1114111) {
          this.fail("disallowed character.");
        }
        return final;
      }
      /**
       * Like ``getCode`` but with the return value normalized so that ``NL`` is
       * returned for ``NL_LIKE``.
       */
      getCodeNorm() {
        const c = this.getCode();
        return c === NL_LIKE ? NL : c;
      }
      unget() {
        this.i = this.prevI;
        this.column--;
      }
      /**
       * Capture characters into a buffer until encountering one of a set of
       * characters.
       *
       * @param chars An array of codepoints. Encountering a character in the array
       * ends the capture. (``chars`` may safely contain ``NL``.)
       *
       * @return The character code that made the capture end, or ``EOC`` if we hit
       * the end of the chunk. The return value cannot be NL_LIKE: NL is returned
       * instead.
       */
      captureTo(chars) {
        let { i: start } = this;
        const { chunk } = this;
        while (true) {
          const c = this.getCode();
          const isNLLike = c === NL_LIKE;
          const final = isNLLike ? NL : c;
          if (final === EOC || chars.includes(final)) {
            this.text += chunk.slice(start, this.prevI);
            return final;
          }
          if (isNLLike) {
            this.text += `${chunk.slice(start, this.prevI)}
`;
            start = this.i;
          }
        }
      }
      /**
       * Capture characters into a buffer until encountering a character.
       *
       * @param char The codepoint that ends the capture. **NOTE ``char`` MAY NOT
       * CONTAIN ``NL``.** Passing ``NL`` will result in buggy behavior.
       *
       * @return ``true`` if we ran into the character. Otherwise, we ran into the
       * end of the current chunk.
       */
      captureToChar(char) {
        let { i: start } = this;
        const { chunk } = this;
        while (true) {
          let c = this.getCode();
          switch (c) {
            case NL_LIKE:
              this.text += `${chunk.slice(start, this.prevI)}
`;
              start = this.i;
              c = NL;
              break;
            case EOC:
              this.text += chunk.slice(start);
              return false;
            default:
          }
          if (c === char) {
            this.text += chunk.slice(start, this.prevI);
            return true;
          }
        }
      }
      /**
       * Capture characters that satisfy ``isNameChar`` into the ``name`` field of
       * this parser.
       *
       * @return The character code that made the test fail, or ``EOC`` if we hit
       * the end of the chunk. The return value cannot be NL_LIKE: NL is returned
       * instead.
       */
      captureNameChars() {
        const { chunk, i: start } = this;
        while (true) {
          const c = this.getCode();
          if (c === EOC) {
            this.name += chunk.slice(start);
            return EOC;
          }
          if (!isNameChar(c)) {
            this.name += chunk.slice(start, this.prevI);
            return c === NL_LIKE ? NL : c;
          }
        }
      }
      /**
       * Skip white spaces.
       *
       * @return The character that ended the skip, or ``EOC`` if we hit
       * the end of the chunk. The return value cannot be NL_LIKE: NL is returned
       * instead.
       */
      skipSpaces() {
        while (true) {
          const c = this.getCodeNorm();
          if (c === EOC || !isS(c)) {
            return c;
          }
        }
      }
      setXMLVersion(version) {
        this.currentXMLVersion = version;
        if (version === "1.0") {
          this.isChar = isChar10;
          this.getCode = this.getCode10;
        } else {
          this.isChar = isChar11;
          this.getCode = this.getCode11;
        }
      }
      // STATE ENGINE METHODS
      // This needs to be a state separate from S_BEGIN_WHITESPACE because we want
      // to be sure never to come back to this state later.
      sBegin() {
        if (this.chunk.charCodeAt(0) === 65279) {
          this.i++;
          this.column++;
        }
        this.state = S_BEGIN_WHITESPACE;
      }
      sBeginWhitespace() {
        const iBefore = this.i;
        const c = this.skipSpaces();
        if (this.prevI !== iBefore) {
          this.xmlDeclPossible = false;
        }
        switch (c) {
          case LESS:
            this.state = S_OPEN_WAKA;
            if (this.text.length !== 0) {
              throw new Error("no-empty text at start");
            }
            break;
          case EOC:
            break;
          default:
            this.unget();
            this.state = S_TEXT;
            this.xmlDeclPossible = false;
        }
      }
      sDoctype() {
        var _a;
        const c = this.captureTo(DOCTYPE_TERMINATOR);
        switch (c) {
          case GREATER: {
            (_a = this.doctypeHandler) === null || _a === void 0 ? void 0 : _a.call(this, this.text);
            this.text = "";
            this.state = S_TEXT;
            this.doctype = true;
            break;
          }
          case EOC:
            break;
          default:
            this.text += String.fromCodePoint(c);
            if (c === OPEN_BRACKET) {
              this.state = S_DTD;
            } else if (isQuote(c)) {
              this.state = S_DOCTYPE_QUOTE;
              this.q = c;
            }
        }
      }
      sDoctypeQuote() {
        const q = this.q;
        if (this.captureToChar(q)) {
          this.text += String.fromCodePoint(q);
          this.q = null;
          this.state = S_DOCTYPE;
        }
      }
      sDTD() {
        const c = this.captureTo(DTD_TERMINATOR);
        if (c === EOC) {
          return;
        }
        this.text += String.fromCodePoint(c);
        if (c === CLOSE_BRACKET) {
          this.state = S_DOCTYPE;
        } else if (c === LESS) {
          this.state = S_DTD_OPEN_WAKA;
        } else if (isQuote(c)) {
          this.state = S_DTD_QUOTED;
          this.q = c;
        }
      }
      sDTDQuoted() {
        const q = this.q;
        if (this.captureToChar(q)) {
          this.text += String.fromCodePoint(q);
          this.state = S_DTD;
          this.q = null;
        }
      }
      sDTDOpenWaka() {
        const c = this.getCodeNorm();
        this.text += String.fromCodePoint(c);
        switch (c) {
          case BANG:
            this.state = S_DTD_OPEN_WAKA_BANG;
            this.openWakaBang = "";
            break;
          case QUESTION:
            this.state = S_DTD_PI;
            break;
          default:
            this.state = S_DTD;
        }
      }
      sDTDOpenWakaBang() {
        const char = String.fromCodePoint(this.getCodeNorm());
        const owb = this.openWakaBang += char;
        this.text += char;
        if (owb !== "-") {
          this.state = owb === "--" ? S_DTD_COMMENT : S_DTD;
          this.openWakaBang = "";
        }
      }
      sDTDComment() {
        if (this.captureToChar(MINUS)) {
          this.text += "-";
          this.state = S_DTD_COMMENT_ENDING;
        }
      }
      sDTDCommentEnding() {
        const c = this.getCodeNorm();
        this.text += String.fromCodePoint(c);
        this.state = c === MINUS ? S_DTD_COMMENT_ENDED : S_DTD_COMMENT;
      }
      sDTDCommentEnded() {
        const c = this.getCodeNorm();
        this.text += String.fromCodePoint(c);
        if (c === GREATER) {
          this.state = S_DTD;
        } else {
          this.fail("malformed comment.");
          this.state = S_DTD_COMMENT;
        }
      }
      sDTDPI() {
        if (this.captureToChar(QUESTION)) {
          this.text += "?";
          this.state = S_DTD_PI_ENDING;
        }
      }
      sDTDPIEnding() {
        const c = this.getCodeNorm();
        this.text += String.fromCodePoint(c);
        if (c === GREATER) {
          this.state = S_DTD;
        }
      }
      sText() {
        if (this.tags.length !== 0) {
          this.handleTextInRoot();
        } else {
          this.handleTextOutsideRoot();
        }
      }
      sEntity() {
        let { i: start } = this;
        const { chunk } = this;
        loop:
          while (true) {
            switch (this.getCode()) {
              case NL_LIKE:
                this.entity += `${chunk.slice(start, this.prevI)}
`;
                start = this.i;
                break;
              case SEMICOLON: {
                const { entityReturnState } = this;
                const entity = this.entity + chunk.slice(start, this.prevI);
                this.state = entityReturnState;
                let parsed;
                if (entity === "") {
                  this.fail("empty entity name.");
                  parsed = "&;";
                } else {
                  parsed = this.parseEntity(entity);
                  this.entity = "";
                }
                if (entityReturnState !== S_TEXT || this.textHandler !== void 0) {
                  this.text += parsed;
                }
                break loop;
              }
              case EOC:
                this.entity += chunk.slice(start);
                break loop;
              default:
            }
          }
      }
      sOpenWaka() {
        const c = this.getCode();
        if (isNameStartChar(c)) {
          this.state = S_OPEN_TAG;
          this.unget();
          this.xmlDeclPossible = false;
        } else {
          switch (c) {
            case FORWARD_SLASH:
              this.state = S_CLOSE_TAG;
              this.xmlDeclPossible = false;
              break;
            case BANG:
              this.state = S_OPEN_WAKA_BANG;
              this.openWakaBang = "";
              this.xmlDeclPossible = false;
              break;
            case QUESTION:
              this.state = S_PI_FIRST_CHAR;
              break;
            default:
              this.fail("disallowed character in tag name");
              this.state = S_TEXT;
              this.xmlDeclPossible = false;
          }
        }
      }
      sOpenWakaBang() {
        this.openWakaBang += String.fromCodePoint(this.getCodeNorm());
        switch (this.openWakaBang) {
          case "[CDATA[":
            if (!this.sawRoot && !this.reportedTextBeforeRoot) {
              this.fail("text data outside of root node.");
              this.reportedTextBeforeRoot = true;
            }
            if (this.closedRoot && !this.reportedTextAfterRoot) {
              this.fail("text data outside of root node.");
              this.reportedTextAfterRoot = true;
            }
            this.state = S_CDATA;
            this.openWakaBang = "";
            break;
          case "--":
            this.state = S_COMMENT;
            this.openWakaBang = "";
            break;
          case "DOCTYPE":
            this.state = S_DOCTYPE;
            if (this.doctype || this.sawRoot) {
              this.fail("inappropriately located doctype declaration.");
            }
            this.openWakaBang = "";
            break;
          default:
            if (this.openWakaBang.length >= 7) {
              this.fail("incorrect syntax.");
            }
        }
      }
      sComment() {
        if (this.captureToChar(MINUS)) {
          this.state = S_COMMENT_ENDING;
        }
      }
      sCommentEnding() {
        var _a;
        const c = this.getCodeNorm();
        if (c === MINUS) {
          this.state = S_COMMENT_ENDED;
          (_a = this.commentHandler) === null || _a === void 0 ? void 0 : _a.call(this, this.text);
          this.text = "";
        } else {
          this.text += `-${String.fromCodePoint(c)}`;
          this.state = S_COMMENT;
        }
      }
      sCommentEnded() {
        const c = this.getCodeNorm();
        if (c !== GREATER) {
          this.fail("malformed comment.");
          this.text += `--${String.fromCodePoint(c)}`;
          this.state = S_COMMENT;
        } else {
          this.state = S_TEXT;
        }
      }
      sCData() {
        if (this.captureToChar(CLOSE_BRACKET)) {
          this.state = S_CDATA_ENDING;
        }
      }
      sCDataEnding() {
        const c = this.getCodeNorm();
        if (c === CLOSE_BRACKET) {
          this.state = S_CDATA_ENDING_2;
        } else {
          this.text += `]${String.fromCodePoint(c)}`;
          this.state = S_CDATA;
        }
      }
      sCDataEnding2() {
        var _a;
        const c = this.getCodeNorm();
        switch (c) {
          case GREATER: {
            (_a = this.cdataHandler) === null || _a === void 0 ? void 0 : _a.call(this, this.text);
            this.text = "";
            this.state = S_TEXT;
            break;
          }
          case CLOSE_BRACKET:
            this.text += "]";
            break;
          default:
            this.text += `]]${String.fromCodePoint(c)}`;
            this.state = S_CDATA;
        }
      }
      // We need this separate state to check the first character fo the pi target
      // with this.nameStartCheck which allows less characters than this.nameCheck.
      sPIFirstChar() {
        const c = this.getCodeNorm();
        if (this.nameStartCheck(c)) {
          this.piTarget += String.fromCodePoint(c);
          this.state = S_PI_REST;
        } else if (c === QUESTION || isS(c)) {
          this.fail("processing instruction without a target.");
          this.state = c === QUESTION ? S_PI_ENDING : S_PI_BODY;
        } else {
          this.fail("disallowed character in processing instruction name.");
          this.piTarget += String.fromCodePoint(c);
          this.state = S_PI_REST;
        }
      }
      sPIRest() {
        const { chunk, i: start } = this;
        while (true) {
          const c = this.getCodeNorm();
          if (c === EOC) {
            this.piTarget += chunk.slice(start);
            return;
          }
          if (!this.nameCheck(c)) {
            this.piTarget += chunk.slice(start, this.prevI);
            const isQuestion = c === QUESTION;
            if (isQuestion || isS(c)) {
              if (this.piTarget === "xml") {
                if (!this.xmlDeclPossible) {
                  this.fail("an XML declaration must be at the start of the document.");
                }
                this.state = isQuestion ? S_XML_DECL_ENDING : S_XML_DECL_NAME_START;
              } else {
                this.state = isQuestion ? S_PI_ENDING : S_PI_BODY;
              }
            } else {
              this.fail("disallowed character in processing instruction name.");
              this.piTarget += String.fromCodePoint(c);
            }
            break;
          }
        }
      }
      sPIBody() {
        if (this.text.length === 0) {
          const c = this.getCodeNorm();
          if (c === QUESTION) {
            this.state = S_PI_ENDING;
          } else if (!isS(c)) {
            this.text = String.fromCodePoint(c);
          }
        } else if (this.captureToChar(QUESTION)) {
          this.state = S_PI_ENDING;
        }
      }
      sPIEnding() {
        var _a;
        const c = this.getCodeNorm();
        if (c === GREATER) {
          const { piTarget } = this;
          if (piTarget.toLowerCase() === "xml") {
            this.fail("the XML declaration must appear at the start of the document.");
          }
          (_a = this.piHandler) === null || _a === void 0 ? void 0 : _a.call(this, {
            target: piTarget,
            body: this.text
          });
          this.piTarget = this.text = "";
          this.state = S_TEXT;
        } else if (c === QUESTION) {
          this.text += "?";
        } else {
          this.text += `?${String.fromCodePoint(c)}`;
          this.state = S_PI_BODY;
        }
        this.xmlDeclPossible = false;
      }
      sXMLDeclNameStart() {
        const c = this.skipSpaces();
        if (c === QUESTION) {
          this.state = S_XML_DECL_ENDING;
          return;
        }
        if (c !== EOC) {
          this.state = S_XML_DECL_NAME;
          this.name = String.fromCodePoint(c);
        }
      }
      sXMLDeclName() {
        const c = this.captureTo(XML_DECL_NAME_TERMINATOR);
        if (c === QUESTION) {
          this.state = S_XML_DECL_ENDING;
          this.name += this.text;
          this.text = "";
          this.fail("XML declaration is incomplete.");
          return;
        }
        if (!(isS(c) || c === EQUAL)) {
          return;
        }
        this.name += this.text;
        this.text = "";
        if (!this.xmlDeclExpects.includes(this.name)) {
          switch (this.name.length) {
            case 0:
              this.fail("did not expect any more name/value pairs.");
              break;
            case 1:
              this.fail(`expected the name ${this.xmlDeclExpects[0]}.`);
              break;
            default:
              this.fail(`expected one of ${this.xmlDeclExpects.join(", ")}`);
          }
        }
        this.state = c === EQUAL ? S_XML_DECL_VALUE_START : S_XML_DECL_EQ;
      }
      sXMLDeclEq() {
        const c = this.getCodeNorm();
        if (c === QUESTION) {
          this.state = S_XML_DECL_ENDING;
          this.fail("XML declaration is incomplete.");
          return;
        }
        if (isS(c)) {
          return;
        }
        if (c !== EQUAL) {
          this.fail("value required.");
        }
        this.state = S_XML_DECL_VALUE_START;
      }
      sXMLDeclValueStart() {
        const c = this.getCodeNorm();
        if (c === QUESTION) {
          this.state = S_XML_DECL_ENDING;
          this.fail("XML declaration is incomplete.");
          return;
        }
        if (isS(c)) {
          return;
        }
        if (!isQuote(c)) {
          this.fail("value must be quoted.");
          this.q = SPACE;
        } else {
          this.q = c;
        }
        this.state = S_XML_DECL_VALUE;
      }
      sXMLDeclValue() {
        const c = this.captureTo([this.q, QUESTION]);
        if (c === QUESTION) {
          this.state = S_XML_DECL_ENDING;
          this.text = "";
          this.fail("XML declaration is incomplete.");
          return;
        }
        if (c === EOC) {
          return;
        }
        const value = this.text;
        this.text = "";
        switch (this.name) {
          case "version": {
            this.xmlDeclExpects = ["encoding", "standalone"];
            const version = value;
            this.xmlDecl.version = version;
            if (!/^1\.[0-9]+$/.test(version)) {
              this.fail("version number must match /^1\\.[0-9]+$/.");
            } else if (!this.opt.forceXMLVersion) {
              this.setXMLVersion(version);
            }
            break;
          }
          case "encoding":
            if (!/^[A-Za-z][A-Za-z0-9._-]*$/.test(value)) {
              this.fail("encoding value must match /^[A-Za-z0-9][A-Za-z0-9._-]*$/.");
            }
            this.xmlDeclExpects = ["standalone"];
            this.xmlDecl.encoding = value;
            break;
          case "standalone":
            if (value !== "yes" && value !== "no") {
              this.fail('standalone value must match "yes" or "no".');
            }
            this.xmlDeclExpects = [];
            this.xmlDecl.standalone = value;
            break;
          default:
        }
        this.name = "";
        this.state = S_XML_DECL_SEPARATOR;
      }
      sXMLDeclSeparator() {
        const c = this.getCodeNorm();
        if (c === QUESTION) {
          this.state = S_XML_DECL_ENDING;
          return;
        }
        if (!isS(c)) {
          this.fail("whitespace required.");
          this.unget();
        }
        this.state = S_XML_DECL_NAME_START;
      }
      sXMLDeclEnding() {
        var _a;
        const c = this.getCodeNorm();
        if (c === GREATER) {
          if (this.piTarget !== "xml") {
            this.fail("processing instructions are not allowed before root.");
          } else if (this.name !== "version" && this.xmlDeclExpects.includes("version")) {
            this.fail("XML declaration must contain a version.");
          }
          (_a = this.xmldeclHandler) === null || _a === void 0 ? void 0 : _a.call(this, this.xmlDecl);
          this.name = "";
          this.piTarget = this.text = "";
          this.state = S_TEXT;
        } else {
          this.fail("The character ? is disallowed anywhere in XML declarations.");
        }
        this.xmlDeclPossible = false;
      }
      sOpenTag() {
        var _a;
        const c = this.captureNameChars();
        if (c === EOC) {
          return;
        }
        const tag = this.tag = {
          name: this.name,
          attributes: /* @__PURE__ */ Object.create(null)
        };
        this.name = "";
        if (this.xmlnsOpt) {
          this.topNS = tag.ns = /* @__PURE__ */ Object.create(null);
        }
        (_a = this.openTagStartHandler) === null || _a === void 0 ? void 0 : _a.call(this, tag);
        this.sawRoot = true;
        if (!this.fragmentOpt && this.closedRoot) {
          this.fail("documents may contain only one root.");
        }
        switch (c) {
          case GREATER:
            this.openTag();
            break;
          case FORWARD_SLASH:
            this.state = S_OPEN_TAG_SLASH;
            break;
          default:
            if (!isS(c)) {
              this.fail("disallowed character in tag name.");
            }
            this.state = S_ATTRIB;
        }
      }
      sOpenTagSlash() {
        if (this.getCode() === GREATER) {
          this.openSelfClosingTag();
        } else {
          this.fail("forward-slash in opening tag not followed by >.");
          this.state = S_ATTRIB;
        }
      }
      sAttrib() {
        const c = this.skipSpaces();
        if (c === EOC) {
          return;
        }
        if (isNameStartChar(c)) {
          this.unget();
          this.state = S_ATTRIB_NAME;
        } else if (c === GREATER) {
          this.openTag();
        } else if (c === FORWARD_SLASH) {
          this.state = S_OPEN_TAG_SLASH;
        } else {
          this.fail("disallowed character in attribute name.");
        }
      }
      sAttribName() {
        const c = this.captureNameChars();
        if (c === EQUAL) {
          this.state = S_ATTRIB_VALUE;
        } else if (isS(c)) {
          this.state = S_ATTRIB_NAME_SAW_WHITE;
        } else if (c === GREATER) {
          this.fail("attribute without value.");
          this.pushAttrib(this.name, this.name);
          this.name = this.text = "";
          this.openTag();
        } else if (c !== EOC) {
          this.fail("disallowed character in attribute name.");
        }
      }
      sAttribNameSawWhite() {
        const c = this.skipSpaces();
        switch (c) {
          case EOC:
            return;
          case EQUAL:
            this.state = S_ATTRIB_VALUE;
            break;
          default:
            this.fail("attribute without value.");
            this.text = "";
            this.name = "";
            if (c === GREATER) {
              this.openTag();
            } else if (isNameStartChar(c)) {
              this.unget();
              this.state = S_ATTRIB_NAME;
            } else {
              this.fail("disallowed character in attribute name.");
              this.state = S_ATTRIB;
            }
        }
      }
      sAttribValue() {
        const c = this.getCodeNorm();
        if (isQuote(c)) {
          this.q = c;
          this.state = S_ATTRIB_VALUE_QUOTED;
        } else if (!isS(c)) {
          this.fail("unquoted attribute value.");
          this.state = S_ATTRIB_VALUE_UNQUOTED;
          this.unget();
        }
      }
      sAttribValueQuoted() {
        const { q, chunk } = this;
        let { i: start } = this;
        while (true) {
          switch (this.getCode()) {
            case q:
              this.pushAttrib(this.name, this.text + chunk.slice(start, this.prevI));
              this.name = this.text = "";
              this.q = null;
              this.state = S_ATTRIB_VALUE_CLOSED;
              return;
            case AMP:
              this.text += chunk.slice(start, this.prevI);
              this.state = S_ENTITY;
              this.entityReturnState = S_ATTRIB_VALUE_QUOTED;
              return;
            case NL:
            case NL_LIKE:
            case TAB:
              this.text += `${chunk.slice(start, this.prevI)} `;
              start = this.i;
              break;
            case LESS:
              this.text += chunk.slice(start, this.prevI);
              this.fail("disallowed character.");
              return;
            case EOC:
              this.text += chunk.slice(start);
              return;
            default:
          }
        }
      }
      sAttribValueClosed() {
        const c = this.getCodeNorm();
        if (isS(c)) {
          this.state = S_ATTRIB;
        } else if (c === GREATER) {
          this.openTag();
        } else if (c === FORWARD_SLASH) {
          this.state = S_OPEN_TAG_SLASH;
        } else if (isNameStartChar(c)) {
          this.fail("no whitespace between attributes.");
          this.unget();
          this.state = S_ATTRIB_NAME;
        } else {
          this.fail("disallowed character in attribute name.");
        }
      }
      sAttribValueUnquoted() {
        const c = this.captureTo(ATTRIB_VALUE_UNQUOTED_TERMINATOR);
        switch (c) {
          case AMP:
            this.state = S_ENTITY;
            this.entityReturnState = S_ATTRIB_VALUE_UNQUOTED;
            break;
          case LESS:
            this.fail("disallowed character.");
            break;
          case EOC:
            break;
          default:
            if (this.text.includes("]]>")) {
              this.fail('the string "]]>" is disallowed in char data.');
            }
            this.pushAttrib(this.name, this.text);
            this.name = this.text = "";
            if (c === GREATER) {
              this.openTag();
            } else {
              this.state = S_ATTRIB;
            }
        }
      }
      sCloseTag() {
        const c = this.captureNameChars();
        if (c === GREATER) {
          this.closeTag();
        } else if (isS(c)) {
          this.state = S_CLOSE_TAG_SAW_WHITE;
        } else if (c !== EOC) {
          this.fail("disallowed character in closing tag.");
        }
      }
      sCloseTagSawWhite() {
        switch (this.skipSpaces()) {
          case GREATER:
            this.closeTag();
            break;
          case EOC:
            break;
          default:
            this.fail("disallowed character in closing tag.");
        }
      }
      // END OF STATE ENGINE METHODS
      handleTextInRoot() {
        let { i: start, forbiddenState } = this;
        const { chunk, textHandler: handler } = this;
        scanLoop:
          while (true) {
            switch (this.getCode()) {
              case LESS: {
                this.state = S_OPEN_WAKA;
                if (handler !== void 0) {
                  const { text } = this;
                  const slice = chunk.slice(start, this.prevI);
                  if (text.length !== 0) {
                    handler(text + slice);
                    this.text = "";
                  } else if (slice.length !== 0) {
                    handler(slice);
                  }
                }
                forbiddenState = FORBIDDEN_START;
                break scanLoop;
              }
              case AMP:
                this.state = S_ENTITY;
                this.entityReturnState = S_TEXT;
                if (handler !== void 0) {
                  this.text += chunk.slice(start, this.prevI);
                }
                forbiddenState = FORBIDDEN_START;
                break scanLoop;
              case CLOSE_BRACKET:
                switch (forbiddenState) {
                  case FORBIDDEN_START:
                    forbiddenState = FORBIDDEN_BRACKET;
                    break;
                  case FORBIDDEN_BRACKET:
                    forbiddenState = FORBIDDEN_BRACKET_BRACKET;
                    break;
                  case FORBIDDEN_BRACKET_BRACKET:
                    break;
                  default:
                    throw new Error("impossible state");
                }
                break;
              case GREATER:
                if (forbiddenState === FORBIDDEN_BRACKET_BRACKET) {
                  this.fail('the string "]]>" is disallowed in char data.');
                }
                forbiddenState = FORBIDDEN_START;
                break;
              case NL_LIKE:
                if (handler !== void 0) {
                  this.text += `${chunk.slice(start, this.prevI)}
`;
                }
                start = this.i;
                forbiddenState = FORBIDDEN_START;
                break;
              case EOC:
                if (handler !== void 0) {
                  this.text += chunk.slice(start);
                }
                break scanLoop;
              default:
                forbiddenState = FORBIDDEN_START;
            }
          }
        this.forbiddenState = forbiddenState;
      }
      handleTextOutsideRoot() {
        let { i: start } = this;
        const { chunk, textHandler: handler } = this;
        let nonSpace = false;
        outRootLoop:
          while (true) {
            const code = this.getCode();
            switch (code) {
              case LESS: {
                this.state = S_OPEN_WAKA;
                if (handler !== void 0) {
                  const { text } = this;
                  const slice = chunk.slice(start, this.prevI);
                  if (text.length !== 0) {
                    handler(text + slice);
                    this.text = "";
                  } else if (slice.length !== 0) {
                    handler(slice);
                  }
                }
                break outRootLoop;
              }
              case AMP:
                this.state = S_ENTITY;
                this.entityReturnState = S_TEXT;
                if (handler !== void 0) {
                  this.text += chunk.slice(start, this.prevI);
                }
                nonSpace = true;
                break outRootLoop;
              case NL_LIKE:
                if (handler !== void 0) {
                  this.text += `${chunk.slice(start, this.prevI)}
`;
                }
                start = this.i;
                break;
              case EOC:
                if (handler !== void 0) {
                  this.text += chunk.slice(start);
                }
                break outRootLoop;
              default:
                if (!isS(code)) {
                  nonSpace = true;
                }
            }
          }
        if (!nonSpace) {
          return;
        }
        if (!this.sawRoot && !this.reportedTextBeforeRoot) {
          this.fail("text data outside of root node.");
          this.reportedTextBeforeRoot = true;
        }
        if (this.closedRoot && !this.reportedTextAfterRoot) {
          this.fail("text data outside of root node.");
          this.reportedTextAfterRoot = true;
        }
      }
      pushAttribNS(name, value) {
        var _a;
        const { prefix, local: local2 } = this.qname(name);
        const attr = { name, prefix, local: local2, value };
        this.attribList.push(attr);
        (_a = this.attributeHandler) === null || _a === void 0 ? void 0 : _a.call(this, attr);
        if (prefix === "xmlns") {
          const trimmed = value.trim();
          if (this.currentXMLVersion === "1.0" && trimmed === "") {
            this.fail("invalid attempt to undefine prefix in XML 1.0");
          }
          this.topNS[local2] = trimmed;
          nsPairCheck(this, local2, trimmed);
        } else if (name === "xmlns") {
          const trimmed = value.trim();
          this.topNS[""] = trimmed;
          nsPairCheck(this, "", trimmed);
        }
      }
      pushAttribPlain(name, value) {
        var _a;
        const attr = { name, value };
        this.attribList.push(attr);
        (_a = this.attributeHandler) === null || _a === void 0 ? void 0 : _a.call(this, attr);
      }
      /**
       * End parsing. This performs final well-formedness checks and resets the
       * parser to a clean state.
       *
       * @returns this
       */
      end() {
        var _a, _b;
        if (!this.sawRoot) {
          this.fail("document must contain a root element.");
        }
        const { tags } = this;
        while (tags.length > 0) {
          const tag = tags.pop();
          this.fail(`unclosed tag: ${tag.name}`);
        }
        if (this.state !== S_BEGIN && this.state !== S_TEXT) {
          this.fail("unexpected end.");
        }
        const { text } = this;
        if (text.length !== 0) {
          (_a = this.textHandler) === null || _a === void 0 ? void 0 : _a.call(this, text);
          this.text = "";
        }
        this._closed = true;
        (_b = this.endHandler) === null || _b === void 0 ? void 0 : _b.call(this);
        this._init();
        return this;
      }
      /**
       * Resolve a namespace prefix.
       *
       * @param prefix The prefix to resolve.
       *
       * @returns The namespace URI or ``undefined`` if the prefix is not defined.
       */
      resolve(prefix) {
        var _a, _b;
        let uri = this.topNS[prefix];
        if (uri !== void 0) {
          return uri;
        }
        const { tags } = this;
        for (let index = tags.length - 1; index >= 0; index--) {
          uri = tags[index].ns[prefix];
          if (uri !== void 0) {
            return uri;
          }
        }
        uri = this.ns[prefix];
        if (uri !== void 0) {
          return uri;
        }
        return (_b = (_a = this.opt).resolvePrefix) === null || _b === void 0 ? void 0 : _b.call(_a, prefix);
      }
      /**
       * Parse a qname into its prefix and local name parts.
       *
       * @param name The name to parse
       *
       * @returns
       */
      qname(name) {
        const colon = name.indexOf(":");
        if (colon === -1) {
          return { prefix: "", local: name };
        }
        const local2 = name.slice(colon + 1);
        const prefix = name.slice(0, colon);
        if (prefix === "" || local2 === "" || local2.includes(":")) {
          this.fail(`malformed name: ${name}.`);
        }
        return { prefix, local: local2 };
      }
      processAttribsNS() {
        var _a;
        const { attribList } = this;
        const tag = this.tag;
        {
          const { prefix, local: local2 } = this.qname(tag.name);
          tag.prefix = prefix;
          tag.local = local2;
          const uri = tag.uri = (_a = this.resolve(prefix)) !== null && _a !== void 0 ? _a : "";
          if (prefix !== "") {
            if (prefix === "xmlns") {
              this.fail('tags may not have "xmlns" as prefix.');
            }
            if (uri === "") {
              this.fail(`unbound namespace prefix: ${JSON.stringify(prefix)}.`);
              tag.uri = prefix;
            }
          }
        }
        if (attribList.length === 0) {
          return;
        }
        const { attributes } = tag;
        const seen = /* @__PURE__ */ new Set();
        for (const attr of attribList) {
          const { name, prefix, local: local2 } = attr;
          let uri;
          let eqname;
          if (prefix === "") {
            uri = name === "xmlns" ? XMLNS_NAMESPACE : "";
            eqname = name;
          } else {
            uri = this.resolve(prefix);
            if (uri === void 0) {
              this.fail(`unbound namespace prefix: ${JSON.stringify(prefix)}.`);
              uri = prefix;
            }
            eqname = `{${uri}}${local2}`;
          }
          if (seen.has(eqname)) {
            this.fail(`duplicate attribute: ${eqname}.`);
          }
          seen.add(eqname);
          attr.uri = uri;
          attributes[name] = attr;
        }
        this.attribList = [];
      }
      processAttribsPlain() {
        const { attribList } = this;
        const attributes = this.tag.attributes;
        for (const { name, value } of attribList) {
          if (attributes[name] !== void 0) {
            this.fail(`duplicate attribute: ${name}.`);
          }
          attributes[name] = value;
        }
        this.attribList = [];
      }
      /**
       * Handle a complete open tag. This parser code calls this once it has seen
       * the whole tag. This method checks for well-formeness and then emits
       * ``onopentag``.
       */
      openTag() {
        var _a;
        this.processAttribs();
        const { tags } = this;
        const tag = this.tag;
        tag.isSelfClosing = false;
        (_a = this.openTagHandler) === null || _a === void 0 ? void 0 : _a.call(this, tag);
        tags.push(tag);
        this.state = S_TEXT;
        this.name = "";
      }
      /**
       * Handle a complete self-closing tag. This parser code calls this once it has
       * seen the whole tag. This method checks for well-formeness and then emits
       * ``onopentag`` and ``onclosetag``.
       */
      openSelfClosingTag() {
        var _a, _b, _c;
        this.processAttribs();
        const { tags } = this;
        const tag = this.tag;
        tag.isSelfClosing = true;
        (_a = this.openTagHandler) === null || _a === void 0 ? void 0 : _a.call(this, tag);
        (_b = this.closeTagHandler) === null || _b === void 0 ? void 0 : _b.call(this, tag);
        const top = this.tag = (_c = tags[tags.length - 1]) !== null && _c !== void 0 ? _c : null;
        if (top === null) {
          this.closedRoot = true;
        }
        this.state = S_TEXT;
        this.name = "";
      }
      /**
       * Handle a complete close tag. This parser code calls this once it has seen
       * the whole tag. This method checks for well-formeness and then emits
       * ``onclosetag``.
       */
      closeTag() {
        const { tags, name } = this;
        this.state = S_TEXT;
        this.name = "";
        if (name === "") {
          this.fail("weird empty close tag.");
          this.text += "</>";
          return;
        }
        const handler = this.closeTagHandler;
        let l = tags.length;
        while (l-- > 0) {
          const tag = this.tag = tags.pop();
          this.topNS = tag.ns;
          handler === null || handler === void 0 ? void 0 : handler(tag);
          if (tag.name === name) {
            break;
          }
          this.fail("unexpected close tag.");
        }
        if (l === 0) {
          this.closedRoot = true;
        } else if (l < 0) {
          this.fail(`unmatched closing tag: ${name}.`);
          this.text += `</${name}>`;
        }
      }
      /**
       * Resolves an entity. Makes any necessary well-formedness checks.
       *
       * @param entity The entity to resolve.
       *
       * @returns The parsed entity.
       */
      parseEntity(entity) {
        if (entity[0] !== "#") {
          const defined = this.ENTITIES[entity];
          if (defined !== void 0) {
            return defined;
          }
          this.fail(this.isName(entity) ? "undefined entity." : "disallowed character in entity name.");
          return `&${entity};`;
        }
        let num = NaN;
        if (entity[1] === "x" && /^#x[0-9a-f]+$/i.test(entity)) {
          num = parseInt(entity.slice(2), 16);
        } else if (/^#[0-9]+$/.test(entity)) {
          num = parseInt(entity.slice(1), 10);
        }
        if (!this.isChar(num)) {
          this.fail("malformed character entity.");
          return `&${entity};`;
        }
        return String.fromCodePoint(num);
      }
    };
    exports.SaxesParser = SaxesParser3;
  }
});

// packages/core/src/words.ts
function quoted(value, limit = 60) {
  const visible = value.replace(
    // eslint-disable-next-line no-control-regex -- control characters are what is looked for
    /[\u0000-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/g,
    (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, "0")}`
  );
  return `\u201C${visible.length > limit ? `${visible.slice(0, limit)}\u2026` : visible}\u201D`;
}

// packages/core/src/fields/dates.ts
var DAY_MICROS = 864e8;
var MIN_DAY = -2440588;
var MAX_DAY = 2145042541;
var Timestamp = class {
  constructor(day, micros) {
    this.day = day;
    this.micros = micros;
  }
  day;
  micros;
};
function dayOf(year, month, day) {
  const y = month <= 2 ? year - 1 : year;
  const era = Math.floor(y / 400);
  const yearOfEra = y - era * 400;
  const dayOfYear2 = Math.floor((153 * (month + (month > 2 ? -3 : 9)) + 2) / 5) + day - 1;
  return era * 146097 + yearOfEra * 365 + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100) + dayOfYear2 - 719468;
}
function civilOf(days) {
  const z = days + 719468;
  const era = Math.floor(z / 146097);
  const doe = z - era * 146097;
  const yoe = Math.floor((doe - Math.floor(doe / 1460) + Math.floor(doe / 36524) - Math.floor(doe / 146096)) / 365);
  const doy = doe - (365 * yoe + Math.floor(yoe / 4) - Math.floor(yoe / 100));
  const mp = Math.floor((5 * doy + 2) / 153);
  const month = mp < 10 ? mp + 3 : mp - 9;
  return { year: yoe + era * 400 + (month <= 2 ? 1 : 0), month, day: doy - Math.floor((153 * mp + 2) / 5) + 1 };
}
function isLeap(year) {
  return year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);
}
var MONTH_LENGTHS = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];
function daysInMonth(year, month) {
  return month === 2 && isLeap(year) ? 29 : MONTH_LENGTHS[month - 1];
}
function dayIfReal(year, month, day) {
  if (month < 1 || month > 12 || day < 1 || day > daysInMonth(year, month)) return null;
  const result = dayOf(year, month, day);
  return result < MIN_DAY || result > MAX_DAY ? null : result;
}
function timestampOf(day, micros) {
  if (micros >= 0 && micros < DAY_MICROS) return new Timestamp(day, micros);
  const carry = Math.floor(micros / DAY_MICROS);
  return new Timestamp(day + carry, micros - carry * DAY_MICROS);
}

// packages/core/src/rules/patterns.ts
var MONTHS = [
  "January",
  "February",
  "March",
  "April",
  "May",
  "June",
  "July",
  "August",
  "September",
  "October",
  "November",
  "December"
];
var CODES = [
  "MONTH",
  "Month",
  "month",
  "MON",
  "Mon",
  "mon",
  "MM",
  "MI",
  "MS",
  "Y,YYY",
  "YYYY",
  "YYY",
  "YY",
  "Y",
  "IYYY",
  "IYY",
  "IY",
  "IDDD",
  "ID",
  "IW",
  "I",
  "DDD",
  "DD",
  "DAY",
  "Day",
  "day",
  "DY",
  "Dy",
  "dy",
  "D",
  "HH24",
  "HH12",
  "HH",
  "SSSSS",
  "SSSS",
  "SS",
  "US",
  "FF1",
  "FF2",
  "FF3",
  "FF4",
  "FF5",
  "FF6",
  "A.D.",
  "B.C.",
  "AD",
  "BC",
  "A.M.",
  "P.M.",
  "AM",
  "PM",
  "a.d.",
  "b.c.",
  "ad",
  "bc",
  "a.m.",
  "p.m.",
  "am",
  "pm",
  "TZH",
  "TZM",
  "TZ",
  "tz",
  "OF",
  "CC",
  "J",
  "Q",
  "RM",
  "rm",
  "WW",
  "W"
];
var LOWER_OK = /* @__PURE__ */ new Set([
  "MM",
  "MI",
  "MS",
  "Y,YYY",
  "YYYY",
  "YYY",
  "YY",
  "Y",
  "IYYY",
  "IYY",
  "IY",
  "IDDD",
  "ID",
  "IW",
  "I",
  "DDD",
  "DD",
  "D",
  "HH24",
  "HH12",
  "HH",
  "SSSSS",
  "SSSS",
  "SS",
  "US",
  "CC",
  "J",
  "Q",
  "WW",
  "W"
]);
function readPattern(pattern) {
  const parts = [];
  let at = 0;
  let fill = false;
  const literal = (text) => void parts.push({ code: null, text, fill: false, ordinal: "" });
  while (at < pattern.length) {
    if (pattern.startsWith("FM", at) || pattern.startsWith("fm", at)) {
      fill = true;
      at += 2;
      continue;
    }
    if (/^(FX|fx|TM|tm)/.test(pattern.slice(at, at + 2)))
      throw new Error(`The pattern letters ${pattern.slice(at, at + 2)} are not supported.`);
    if (pattern[at] === '"') {
      const end = pattern.indexOf('"', at + 1);
      if (end < 0) throw new Error("The quoted text in the pattern has no end.");
      if (pattern.slice(at, end).includes("\\")) throw new Error("Backslashes in a pattern are not supported.");
      literal(pattern.slice(at + 1, end));
      at = end + 1;
      continue;
    }
    if (pattern[at] === "\\") throw new Error("Backslashes in a pattern are not supported.");
    const code = codeAt(pattern, at);
    if (code === null) {
      literal(pattern[at]);
      at++;
      continue;
    }
    at += code.length;
    let ordinal = "";
    if (/^(TH|th)/.test(pattern.slice(at, at + 2))) {
      ordinal = pattern.slice(at, at + 2);
      at += 2;
    }
    if (/^(SP|sp)/.test(pattern.slice(at, at + 2))) throw new Error("The pattern letters SP are not supported.");
    parts.push({ code, text: code, fill, ordinal });
    fill = false;
  }
  return parts;
}
function codeAt(pattern, at) {
  for (const code of CODES) {
    const text = pattern.slice(at, at + code.length);
    if (text === code) return code;
    if (LOWER_OK.has(code) && text === code.toLowerCase()) return code;
  }
  return null;
}
var READ_DIGITS = {
  YYYY: [4, 4],
  YY: [2, 2],
  MM: [1, 2],
  DD: [1, 2],
  DDD: [3, 3],
  HH24: [1, 2],
  HH12: [1, 2],
  HH: [1, 2],
  MI: [2, 2],
  SS: [2, 2],
  MS: [3, 3],
  US: [6, 6]
};
function compileReader(pattern) {
  const parts = readPattern(pattern);
  const seen = /* @__PURE__ */ new Set();
  for (const { code, ordinal } of parts) {
    if (code === null) continue;
    const kind = partKind(code);
    if (kind === null || ordinal !== "")
      throw new Error(
        `The pattern letters ${code}${ordinal} can't be read; use YYYY, MM, DD, Mon, HH24, HH12, MI, SS, MS, US, AM.`
      );
    if (seen.has(kind)) throw new Error(`The pattern has two parts for the ${kind}.`);
    seen.add(kind);
  }
  if (!seen.has("year") || !(seen.has("day of the year") || seen.has("month") && seen.has("day")))
    throw new Error("The pattern must have a year, a month and a day, such as DD.MM.YYYY.");
  const fixed = compileFixed(parts, pattern);
  const slow = (text) => readParts(parts, pattern, text);
  return fixed ? (text) => fixed(text) ?? slow(text) : slow;
}
function partKind(code) {
  if (code === "YYYY" || code === "YY") return "year";
  if (code === "MM" || /^mon/i.test(code)) return "month";
  if (code === "DD") return "day";
  if (code === "DDD") return "day of the year";
  if (/^HH/.test(code)) return "hour";
  if (code === "MI") return "minute";
  if (code === "SS") return "second";
  if (code === "MS" || code === "US") return "fraction";
  if (/^[ap]\.?m\.?$/i.test(code)) return "half of the day";
  return null;
}
function compileFixed(parts, pattern) {
  const steps = [];
  const literals = [];
  const targets = ["YYYY", "MM", "DD", "HH24", "MI", "SS"];
  let at = 0;
  for (const { code, text } of parts) {
    if (code === null) {
      for (const c of text) {
        if (c.length > 1) return null;
        literals.push([at++, c.charCodeAt(0)]);
      }
    } else {
      const target = targets.indexOf(code);
      if (target < 0) return null;
      const width = code === "YYYY" ? 4 : 2;
      steps.push({ at, width, target });
      at += width;
    }
  }
  const length = at;
  if (pattern === "") return null;
  return (text) => {
    if (text.length !== length) return null;
    for (const [where, code] of literals) if (text.charCodeAt(where) !== code) return null;
    let year = 0;
    let month = 1;
    let day = 1;
    let hour = 0;
    let minute = 0;
    let second = 0;
    for (const step of steps) {
      let n = 0;
      for (let i = 0; i < step.width; i++) {
        const digit = text.charCodeAt(step.at + i) - 48;
        if (digit < 0 || digit > 9) return null;
        n = n * 10 + digit;
      }
      if (step.target === 0) year = n;
      else if (step.target === 1) month = n;
      else if (step.target === 2) day = n;
      else if (step.target === 3) hour = n;
      else if (step.target === 4) minute = n;
      else second = n;
    }
    if (year === 0 || hour > 23 || minute > 59 || second > 59) return null;
    const days = dayIfReal(year, month, day);
    return days === null ? null : new Timestamp(days, ((hour * 60 + minute) * 60 + second) * 1e6);
  };
}
function readParts(parts, pattern, text) {
  const found = {};
  let at = 0;
  const mismatch = `does not have the form ${pattern}`;
  for (const { code, text: literal } of parts) {
    if (code === null) {
      if (!text.startsWith(literal, at)) return mismatch;
      at += literal.length;
      continue;
    }
    const kind = partKind(code);
    if (/^mon/i.test(code)) {
      const names = code.length === 5 ? MONTHS : MONTHS.map((m) => m.slice(0, 3));
      const index = names.findIndex((m) => text.slice(at, at + m.length).toLowerCase() === m.toLowerCase());
      if (index < 0) return mismatch;
      found[kind] = index + 1;
      at += names[index].length;
      continue;
    }
    if (kind === "half of the day") {
      const word = text.slice(at, at + code.length).toLowerCase();
      if (!/^[ap]\.?m\.?$/.test(word) || word.length !== code.length) return mismatch;
      found[kind] = word.startsWith("p") ? 1 : 0;
      at += code.length;
      continue;
    }
    const [least, most] = READ_DIGITS[code];
    let end = at;
    while (end < text.length && end - at < most && text.charCodeAt(end) >= 48 && text.charCodeAt(end) <= 57) end++;
    if (end - at < least)
      return code === "YYYY" && end > at ? `has a year of ${end - at} digits where ${pattern} wants four` : mismatch;
    const value = Number(text.slice(at, end));
    found[kind] = code === "YY" ? value < 70 ? 2e3 + value : 1900 + value : code === "MS" ? value * 1e3 : value;
    at = end;
    if (code === "HH12" || code === "HH") found["twelve"] = 1;
  }
  if (at < text.length) return mismatch;
  return assemble(found);
}
function assemble(found) {
  const year = found["year"];
  if (found["month"] === 0 || found["day"] === 0) return "is not a date: day and month must be at least 1";
  if (year === 0) return "is not a date: the year must be at least 1";
  let day;
  if (found["day of the year"] !== void 0) {
    const first = dayIfReal(year, 1, 1);
    day = first + found["day of the year"] - 1;
    if (found["day of the year"] < 1 || civilOf(day).year !== year)
      return "is not a date: the day of the year is out of range";
  } else {
    const month = found["month"];
    const dom = found["day"];
    if (month > 12) return `is not a date: there is no month ${month}`;
    day = dayIfReal(year, month, dom);
    if (day === null) return `is not a date: ${MONTHS[month - 1]} ${year} has no day ${dom}`;
  }
  let hour = found["hour"] ?? 0;
  if (found["twelve"]) {
    if (hour < 1 || hour > 12) return "is no time: the hour must lie between 1 and 12";
    hour = hour % 12 + (found["half of the day"] ?? 0) * 12;
  }
  const minute = found["minute"] ?? 0;
  const second = found["second"] ?? 0;
  if (hour > 23) return "is no time: the hour must lie between 0 and 23";
  if (minute > 59 || second > 59) return "is no time: minutes and seconds must lie between 0 and 59";
  return timestampOf(day, ((hour * 60 + minute) * 60 + second) * 1e6 + (found["fraction"] ?? 0));
}

// packages/core/src/profile/meanings.ts
var matching = (name, words, pattern) => ({
  name,
  words,
  test: (value) => pattern.test(value)
});
var inRange = (day, month, year) => month >= 1 && month <= 12 && day >= 1 && day <= 31 && year >= 1800 && year <= 2200;
var date = (words, pattern, day, month, year) => ({
  name: `date ${words}`,
  words: `dates, ${words}`,
  test: (value) => {
    const found = pattern.exec(value);
    return found !== null && inRange(Number(found[day]), Number(found[month]), Number(found[year]));
  }
});
var COUNTRIES = new Set(
  "AD AE AF AG AI AL AM AO AR AT AU AW AX AZ BA BB BD BE BF BG BH BI BJ BL BM BN BO BR BS BT BW BY BZ CA CD CF CG CH CI CL CM CN CO CR CU CV CW CY CZ DE DJ DK DM DO DZ EC EE EG ER ES ET FI FJ FM FO FR GA GB GD GE GG GH GI GL GM GN GQ GR GT GW GY HK HN HR HT HU ID IE IL IM IN IQ IR IS IT JE JM JO JP KE KG KH KI KM KN KP KR KW KY KZ LA LB LC LI LK LR LS LT LU LV LY MA MC MD ME MG MH MK ML MM MN MO MR MT MU MV MW MX MY MZ NA NE NG NI NL NO NP NR NZ OM PA PE PG PH PK PL PT PW PY QA RO RS RU RW SA SB SC SD SE SG SI SK SL SM SN SO SR SS ST SV SY SZ TD TG TH TJ TL TM TN TO TR TT TV TW TZ UA UG US UY UZ VA VC VE VN VU WS YE ZA ZM ZW".split(
    " "
  )
);
var CURRENCIES = new Set(
  "AED ARS AUD BGN BRL CAD CHF CLP CNY COP CZK DKK EGP EUR GBP HKD HUF IDR ILS INR ISK JPY KES KRW MAD MXN MYR NGN NOK NZD PEN PHP PKR PLN QAR RON RSD RUB SAR SEK SGD THB TRY TWD UAH USD VND ZAR".split(
    " "
  )
);
var BOOLEANS = /* @__PURE__ */ new Set(["t", "f", "true", "false", "yes", "no", "y", "n", "on", "off"]);
var MEANINGS = [
  matching("uuid", "UUIDs", /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i),
  matching("e-mail", "e-mail addresses", /^[^@\s]+@[^@\s.]+(\.[^@\s.]+)+$/),
  matching(
    "timestamp",
    "dates with a time",
    /^(\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:?\d{2})?|\d{1,2}[./]\d{1,2}[./]\d{4} \d{1,2}:\d{2}(:\d{2})?)$/
  ),
  date("YYYY-MM-DD", /^(\d{4})-(\d{2})-(\d{2})$/, 3, 2, 1),
  date("DD.MM.YYYY", /^(\d{1,2})\.(\d{1,2})\.(\d{4})$/, 1, 2, 3),
  date("DD/MM/YYYY", /^(\d{1,2})\/(\d{1,2})\/(\d{4})$/, 1, 2, 3),
  date("MM/DD/YYYY", /^(\d{1,2})\/(\d{1,2})\/(\d{4})$/, 2, 1, 3),
  date("YYYYMMDD", /^((?:19|20)\d{2})(\d{2})(\d{2})$/, 3, 2, 1),
  { name: "boolean", words: "yes and no", test: (v) => BOOLEANS.has(v.toLowerCase()) },
  { name: "country", words: "country codes", test: (v) => v.length === 2 && COUNTRIES.has(v) },
  { name: "currency", words: "currency codes", test: (v) => v.length === 3 && CURRENCIES.has(v) },
  matching("postcode", "postcodes", /^[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}$/),
  matching("phone", "phone numbers", /^(\+|0\d|\()[\d ()/-]{6,18}\d$/),
  matching("whole number", "whole numbers", /^[+-]?\d{1,18}-?$/),
  matching("number", "numbers with a decimal point", /^[+-]?\d{1,15}(\.\d+)?-?$/),
  matching("number ,", "numbers with a decimal comma", /^[+-]?\d{1,3}(\.?\d{3})*(,\d+)?-?$/)
];

// packages/core/src/formats/marks.ts
var DATE_PATTERNS = MEANINGS.filter((m) => m.name.startsWith("date ")).map(
  (m) => m.name.slice(5)
);
var ISO = "YYYY-MM-DD";
function guessMarks(names, columns) {
  const commas = [];
  const points = [];
  const dated = /* @__PURE__ */ new Map();
  const doubtful = /* @__PURE__ */ new Set();
  for (const [i, column] of columns.entries()) {
    const values = column.map((v) => v.trim()).filter((v) => v !== "");
    if (values.length < 2) continue;
    const name = names[i] ?? `column ${i + 1}`;
    const most = (meaning) => {
      const { test } = MEANINGS.find((m) => m.name === meaning);
      return values.filter((v) => test(v)).length >= values.length * 0.9;
    };
    const patterns = DATE_PATTERNS.filter((p2) => most(`date ${p2}`));
    const [pattern] = patterns;
    if (pattern === ISO) continue;
    if (pattern !== void 0) {
      if (pattern === "YYYYMMDD" && !/date|day|_on$|_at$|datum/i.test(name)) continue;
      dated.set(pattern, [...dated.get(pattern) ?? [], name]);
      if (patterns.length > 1) doubtful.add(pattern);
    } else if (values.some((v) => v.includes(",")) && most("number ,")) commas.push(name);
    else if (values.some((v) => v.includes(".")) && most("number")) points.push(name);
  }
  const reasons = [];
  const comma = commas.length > points.length;
  if (comma) reasons.push(`numbers have a decimal comma (${listed(commas)})`);
  const [found] = [...dated].sort((a, b) => b[1].length - a[1].length);
  if (found) {
    const [pattern, fields] = found;
    reasons.push(
      `dates are written ${pattern} (${listed(fields)})${doubtful.has(pattern) ? "; day and month could stand the other way round" : ""}`
    );
  }
  return { marks: comma || found ? { decimal: comma ? "," : ".", dates: found?.[0] ?? null } : null, reasons };
}
var listed = (names) => names.length > 4 ? `${names.slice(0, 3).join(", ")} and ${names.length - 3} more` : names.join(", ");
function checkMarks({ dates }) {
  if (dates !== null) compileReader(dates);
}

// packages/core/src/formats/format.ts
function marksOf(format2) {
  return format2.kind === "delimited" || format2.kind === "fixed" ? format2.marks ?? null : null;
}
var Unreadable = class {
  constructor(message, raw) {
    this.message = message;
    this.raw = raw;
  }
  message;
  raw;
};
var FormatError = class extends Error {
  constructor(message) {
    super(message);
    this.name = "FormatError";
  }
};
var MAX_RECORD = 4 * 1024 * 1024;
var MAX_CELL = 1024 * 1024;
var MAX_COLUMNS = 2e4;
var MAX_DEPTH = 100;

// packages/core/src/formats/decode.ts
var DAMAGED = "\uDC80";
function decodeText(bytes, encoding) {
  return new TextDecoder(encoding).decode(bytes, { stream: true });
}
var ChunkDecoder = class {
  held = new Uint8Array(0);
  started = false;
  decoder;
  utf8;
  constructor(encoding) {
    this.utf8 = encoding === "utf-8";
    this.decoder = this.utf8 ? new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }) : new TextDecoder(encoding, { ignoreBOM: true });
  }
  push(bytes) {
    return this.clean(this.utf8 ? this.pushUtf8(bytes) : this.decoder.decode(bytes, { stream: true }));
  }
  end() {
    if (!this.utf8) return this.clean(this.decoder.decode());
    const rest = this.held;
    this.held = new Uint8Array(0);
    return this.clean(rest.length > 0 ? DAMAGED : "");
  }
  clean(text) {
    if (this.started || text === "") return text;
    this.started = true;
    return text.charCodeAt(0) === 65279 ? text.slice(1) : text;
  }
  pushUtf8(chunk) {
    let bytes = chunk;
    if (this.held.length > 0) {
      bytes = new Uint8Array(this.held.length + chunk.length);
      bytes.set(this.held);
      bytes.set(chunk, this.held.length);
    }
    const end = wholeEnd(bytes);
    this.held = bytes.slice(end);
    const whole = end === bytes.length ? bytes : bytes.subarray(0, end);
    try {
      return this.decoder.decode(whole);
    } catch {
      return this.lineByLine(whole);
    }
  }
  lineByLine(bytes) {
    const lax = new TextDecoder("utf-8", { ignoreBOM: true });
    let result = "";
    let start = 0;
    while (start < bytes.length) {
      let end = start;
      while (end < bytes.length && bytes[end] !== 10 && bytes[end] !== 13) end++;
      const line = bytes.subarray(start, end);
      try {
        result += this.decoder.decode(line);
      } catch {
        result += lax.decode(line) + DAMAGED;
      }
      if (end < bytes.length) result += String.fromCharCode(bytes[end]);
      start = end + 1;
    }
    return result;
  }
};
function wholeEnd(bytes) {
  const { length } = bytes;
  for (let back = 1; back <= Math.min(3, length); back++) {
    const byte = bytes[length - back];
    if (byte < 128) return length;
    if (byte >= 192) {
      const size = byte >= 240 ? 4 : byte >= 224 ? 3 : 2;
      return size > back ? length - back : length;
    }
  }
  return length;
}

// packages/core/src/formats/lines.ts
var LineSplitter = class {
  buffer = "";
  discarding = false;
  /** The lines that are whole with this text, blank ones left out; `last`: what is left is a line, too. */
  push(text, last) {
    this.buffer += text;
    const lines = [];
    let at = 0;
    while (at < this.buffer.length) {
      const found = this.buffer.indexOf("\n", at);
      if (found < 0 && !last) break;
      const end = found < 0 ? this.buffer.length : found;
      const line = this.buffer.slice(at, end > at && this.buffer[end - 1] === "\r" ? end - 1 : end);
      at = end + 1;
      if (this.discarding) this.discarding = false;
      else if (line.trim() !== "") lines.push(line.includes(DAMAGED) ? damaged(line) : line);
    }
    this.buffer = this.buffer.slice(Math.min(at, this.buffer.length));
    if (this.buffer.length > MAX_RECORD) {
      if (!this.discarding) lines.push(tooLong(this.buffer));
      this.discarding = true;
      this.buffer = "";
    }
    return lines;
  }
};
var damaged = (line) => new Unreadable("The line has bytes that are not in the file\u2019s encoding.", line.replace(DAMAGED, "").slice(0, 200));
var tooLong = (text) => new Unreadable(`The line is longer than ${MAX_RECORD.toLocaleString("en-GB")} characters.`, text.slice(0, 200));

// packages/core/src/formats/fixed-width.ts
var FixedWidthReader = class {
  constructor(format2) {
    this.format = format2;
    this.decoder = new ChunkDecoder(format2.encoding);
    this.toSkip = format2.skipLines;
    this.names = format2.columns.map((c) => c.name);
    this.needed = Math.max(0, ...format2.columns.map((c) => c.from - 1));
  }
  format;
  decoder;
  lines = new LineSplitter();
  nextRow = 1;
  toSkip;
  names;
  needed;
  push(bytes) {
    return this.scan(this.decoder.push(bytes), false);
  }
  end() {
    return this.scan(this.decoder.end(), true);
  }
  scan(text, last) {
    const lines = this.lines.push(text, last);
    const skipped = lines.splice(0, Math.min(this.toSkip, lines.length));
    this.toSkip -= skipped.length;
    const firstRow = this.nextRow;
    this.nextRow += lines.length;
    const again = () => lines.map((line) => typeof line === "string" ? this.row(line) : line);
    return { firstRow, rows: again(), again };
  }
  row(line) {
    if (line.includes("\0")) return new Unreadable("The line has a zero byte.", line.slice(0, 200));
    if (line.length <= this.needed && line.trimEnd().length < this.needed / 2)
      return new Unreadable(
        `The line has ${line.length} characters; the last column begins at ${this.needed + 1}.`,
        line.slice(0, 200)
      );
    return this.format.columns.map(({ from, width }) => {
      const value = line.slice(from - 1, from - 1 + width).trim();
      return value === "" && this.format.emptyIsNull ? null : value;
    });
  }
};
function guessColumns(lines) {
  if (lines.length < 3) return null;
  const width = Math.max(...lines.map((l) => l.length));
  if (width < 4 || width > 2e4) return null;
  const sameLength = lines.filter((l) => Math.abs(l.length - width) <= width / 6).length;
  if (sameLength < lines.length * 0.8) return null;
  const blank = Array.from({ length: width }, (_, i) => lines.every((l) => (l[i] ?? " ") === " "));
  const starts = [];
  for (let i = 0; i < width; i++) if (!blank[i] && (i === 0 || blank[i - 1])) starts.push(i);
  if (starts.length < 2) return null;
  return starts.map((from, i) => ({
    name: `column_${i + 1}`,
    from: from + 1,
    width: (starts[i + 1] ?? width) - from
  }));
}

// packages/core/src/formats/flat-object.ts
var WITHIN = /[\\\u0000-\u0008\u000b\u000c\u000e-\u001f]/;
var BREAKS = /[\t\n\r]/;
var NUMBER = /^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$/;
var FlatObjects = class {
  /** `before`: fields in front of the members', which are left null. */
  constructor(names, before = 0) {
    this.before = before;
    this.learn(names);
  }
  before;
  heads = [];
  learn(names) {
    for (const name of names) this.heads.push(`${JSON.stringify(name)}:`);
  }
  /** The fields' values; null where the text is not of this kind, be it right or wrong. */
  read(text) {
    if (text.charCodeAt(0) !== 123 || WITHIN.test(text)) return null;
    const breaks = BREAKS.test(text);
    const { heads, before } = this;
    const values = new Array(heads.length + before).fill(null);
    let next = 0;
    for (let at = spaces(text, 1); ; ) {
      while (next < heads.length && !text.startsWith(heads[next], at)) next++;
      if (next === heads.length) return null;
      at = spaces(text, at + heads[next].length);
      const c = text.charCodeAt(at);
      let end;
      if (c === 34) {
        end = text.indexOf('"', at + 1);
        if (end < 0) return null;
        const value = text.slice(at + 1, end);
        if (breaks && BREAKS.test(value)) return null;
        values[next + before] = value;
        end++;
      } else if (c === 110) {
        if (!text.startsWith("null", at)) return null;
        end = at + 4;
      } else {
        end = tokenEnd(text, at);
        const token = text.slice(at, end);
        if (token !== "true" && token !== "false" && !NUMBER.test(token)) return null;
        values[next + before] = token;
      }
      next++;
      at = spaces(text, end);
      const after = text.charCodeAt(at);
      if (after === 125) return spaces(text, at + 1) === text.length ? values : null;
      if (after !== 44) return null;
      at = spaces(text, at + 1);
    }
  }
};
function spaces(text, from) {
  let at = from;
  for (let c = text.charCodeAt(at); c === 32 || c === 10 || c === 13 || c === 9; c = text.charCodeAt(at)) at++;
  return at;
}
function tokenEnd(text, from) {
  let at = from;
  for (let c = text.charCodeAt(at); c > 32 && c !== 44 && c !== 125; c = text.charCodeAt(at)) at++;
  return at;
}

// packages/core/src/formats/nested.ts
var KEY = "_key";
var PARENT_KEY = "_parent_key";
var POSITION = "_position";
var DOC = "_doc";
var VALUE = "value";
var isArray = (tree) => Array.isArray(tree);
var below = (path, name) => path === "" ? name : name === "" ? path : `${path}.${name}`;
function learnStructures(records) {
  const repeating = /* @__PURE__ */ new Set();
  for (const record of records) findRepeating(record, "", repeating);
  const structures = /* @__PURE__ */ new Map([["", /* @__PURE__ */ new Map()]]);
  const visit = (tree, structure, field) => {
    const fields = structures.get(structure);
    if (tree instanceof Map) {
      for (const [name, member] of tree) {
        const path = below(below(structure, field), name);
        if (!repeating.has(path)) visit(member, structure, below(field, name));
        else {
          if (!structures.has(path)) structures.set(path, /* @__PURE__ */ new Map());
          for (const element of isArray(member) ? member : [member]) visit(element, path, "");
        }
      }
    } else {
      const name = field || VALUE;
      fields.set(name, (fields.get(name) ?? false) || tree !== null);
    }
  };
  for (const record of records) visit(record, "", "");
  return [...structures].map(([path, fields]) => ({
    path,
    // What was null in one record and has members in another is no field.
    fields: [...fields].filter(([name, filled]) => filled || ![...fields.keys()].some((other) => other.startsWith(`${name}.`))).map(([name]) => name)
  }));
}
function findRepeating(tree, path, into) {
  if (isArray(tree)) {
    if (path !== "") into.add(path);
    for (const element of tree) if (element instanceof Map) findRepeating(element, path, into);
  } else if (tree instanceof Map)
    for (const [name, member] of tree) findRepeating(member, below(path, name), into);
}
function structureFields(structure, withDoc) {
  return [
    ...structure.path === "" ? [KEY] : [KEY, PARENT_KEY, POSITION],
    ...structure.fields,
    ...withDoc ? [DOC] : []
  ];
}
var Flattener = class {
  constructor(structures, part, withDoc) {
    this.part = part;
    this.withDoc = withDoc;
    const structure = structures.find((s) => s.path === part);
    if (!structure) throw new Error(`There is no structure ${part}.`);
    this.names = structureFields(structure, withDoc);
    this.slots = new Map(this.names.map((name, i) => [name, i]));
    this.repeating = new Set(structures.map((s) => s.path).filter((p2) => p2 !== ""));
  }
  part;
  withDoc;
  names;
  slots;
  repeating;
  /** Rows of the `number`th record (1-based). */
  rows(record, number, doc) {
    const rows = [];
    this.descend(record, "", String(number), null, number, rows, this.withDoc ? doc() : null);
    return rows;
  }
  descend(tree, path, key, parent, position, rows, doc) {
    if (path === this.part && (path === "" || this.repeating.has(path)))
      return void rows.push(this.row(tree, path, key, parent, position, doc));
    if (!(tree instanceof Map)) return;
    for (const [name, member] of tree) {
      const at = below(path, name);
      if (at !== this.part && !this.part.startsWith(`${at}.`)) continue;
      if (!this.repeating.has(at)) this.descend(member, at, key, parent, position, rows, doc);
      else {
        const elements = isArray(member) ? member : [member];
        for (const [i, element] of elements.entries())
          this.descend(element, at, `${key}.${i + 1}`, key, i + 1, rows, doc);
      }
    }
  }
  row(tree, path, key, parent, position, doc) {
    const cells = new Array(this.names.length).fill(null);
    cells[0] = key;
    if (path !== "") {
      cells[1] = parent;
      cells[2] = String(position);
    }
    if (this.withDoc) cells[cells.length - 1] = doc;
    let twice = null;
    const fill = (value, field) => {
      if (value instanceof Map) {
        for (const [name, member] of value) {
          const next = below(field, name);
          if (!this.repeating.has(below(path, next))) fill(member, next);
        }
      } else if (isArray(value)) twice ??= field || VALUE;
      else {
        const slot = this.slots.get(field || VALUE);
        if (slot !== void 0) cells[slot] = value;
      }
    };
    fill(tree, "");
    if (twice !== null)
      return new Unreadable(
        `\u201C${String(twice)}\u201D occurs more than once in this record, but not in the sample that the structure was learned from; learn it again.`,
        ""
      );
    return cells;
  }
};
function treeJson(tree) {
  if (tree === null || typeof tree === "string") return JSON.stringify(tree);
  if (isArray(tree)) return `[${tree.map(treeJson).join(",")}]`;
  return `{${[...tree].map(([name, member]) => `${JSON.stringify(name)}:${treeJson(member)}`).join(",")}}`;
}
var tooDeep = `It is nested deeper than ${MAX_DEPTH} levels; no record needs that.`;

// packages/core/src/formats/json-tree.ts
function parseJsonTree(json) {
  const parser = new JsonParser(json);
  const tree = parser.value(0);
  parser.space();
  if (parser.at < json.length) throw parser.wrong();
  return tree;
}
function flatMembers(json) {
  const parser = new JsonParser(json);
  parser.space();
  if (json.charCodeAt(parser.at) !== 123) {
    parseJsonTree(json);
    return null;
  }
  const members = parser.flat();
  parser.space();
  if (parser.at < json.length) throw parser.wrong();
  return members;
}
var NUMBER2 = /-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?/y;
var JsonParser = class {
  constructor(json) {
    this.json = json;
  }
  json;
  at = 0;
  space() {
    for (; ; ) {
      const c = this.json.charCodeAt(this.at);
      if (c !== 32 && c !== 10 && c !== 13 && c !== 9) return;
      this.at++;
    }
  }
  wrong() {
    const c = this.json[this.at];
    return new Error(
      c === void 0 ? "the JSON ends too early" : `the JSON is wrong at character ${this.at + 1}, at \u201C${this.json.slice(this.at, this.at + 20)}\u201D`
    );
  }
  value(depth) {
    if (depth > MAX_DEPTH) throw new Error(tooDeep);
    this.space();
    switch (this.json.charCodeAt(this.at)) {
      case 34:
        return this.text();
      case 123:
        return this.object(depth);
      case 91:
        return this.array(depth);
      case 116:
        return this.word("true", "true");
      case 102:
        return this.word("false", "false");
      case 110:
        return this.word("null", null);
      default: {
        NUMBER2.lastIndex = this.at;
        const found = NUMBER2.exec(this.json);
        if (!found) throw this.wrong();
        this.at += found[0].length;
        return found[0];
      }
    }
  }
  word(word, value) {
    if (!this.json.startsWith(word, this.at)) throw this.wrong();
    this.at += word.length;
    return value;
  }
  text() {
    const { json } = this;
    const start = this.at + 1;
    let end = start;
    let plain = true;
    for (; ; ) {
      const c = json.charCodeAt(end);
      if (c === 34) break;
      if (c === 92) {
        plain = false;
        end++;
      } else if (c < 32 || Number.isNaN(c)) {
        this.at = end;
        throw this.wrong();
      }
      end++;
    }
    this.at = end + 1;
    if (plain) return json.slice(start, end);
    const value = JSON.parse(json.slice(start - 1, this.at));
    if (value.includes("\0")) throw new Error("a text has a zero byte");
    return value;
  }
  object(depth) {
    const members = /* @__PURE__ */ new Map();
    this.eachMember((name) => void members.set(name, this.value(depth + 1)));
    return members;
  }
  /** An object whose nested members are checked, and given as their text. */
  flat() {
    const members = /* @__PURE__ */ new Map();
    this.eachMember((name) => {
      this.space();
      const start = this.at;
      const value = this.value(1);
      const nested = value !== null && typeof value === "object";
      members.set(name, nested ? this.json.slice(start, this.at) : value);
    });
    return members;
  }
  /** Goes through an object; `take` reads the value that stands next. */
  eachMember(take) {
    this.at++;
    this.space();
    if (this.json.charCodeAt(this.at) === 125) {
      this.at++;
      return;
    }
    for (; ; ) {
      this.space();
      if (this.json.charCodeAt(this.at) !== 34) throw this.wrong();
      const name = this.text();
      this.space();
      if (this.json.charCodeAt(this.at) !== 58) throw this.wrong();
      this.at++;
      take(name);
      this.space();
      const c = this.json.charCodeAt(this.at++);
      if (c === 125) return;
      if (c !== 44) {
        this.at--;
        throw this.wrong();
      }
    }
  }
  array(depth) {
    const elements = [];
    this.at++;
    this.space();
    if (this.json.charCodeAt(this.at) === 93) {
      this.at++;
      return elements;
    }
    for (; ; ) {
      elements.push(this.value(depth + 1));
      this.space();
      const c = this.json.charCodeAt(this.at++);
      if (c === 93) return elements;
      if (c !== 44) {
        this.at--;
        throw this.wrong();
      }
    }
  }
};

// packages/core/src/formats/json.ts
var JsonReader = class {
  decoder;
  elements;
  flattener;
  quick;
  number = 0;
  nextRow = 1;
  constructor(format2) {
    this.decoder = new ChunkDecoder(format2.encoding);
    this.elements = new JsonElements(format2.records);
    this.flattener = new Flattener(format2.structures, format2.part, format2.withDoc);
    const flat = format2.part === "" && format2.structures.length === 1 && !format2.withDoc;
    this.quick = flat ? new FlatObjects(format2.structures[0].fields, 1) : null;
  }
  get names() {
    return this.flattener.names;
  }
  push(bytes) {
    return this.batch(this.elements.push(this.decoder.push(bytes)));
  }
  end() {
    return this.batch([...this.elements.push(this.decoder.end()), ...this.elements.end()]);
  }
  batch(texts) {
    const firstRow = this.nextRow;
    const rows = this.rows(texts, this.number);
    const before = this.number;
    this.number += texts.length;
    this.nextRow += rows.length;
    return { firstRow, rows, again: () => this.rows(texts, before) };
  }
  rows(texts, before) {
    return texts.flatMap((text, i) => {
      if (text instanceof Unreadable) return [text];
      const quick = this.quick?.read(text);
      if (quick) {
        quick[0] = String(before + i + 1);
        return [quick];
      }
      const raw = text.slice(0, 200);
      if (text.includes(DAMAGED))
        return [new Unreadable("The record has bytes that are not in the file\u2019s encoding.", raw)];
      try {
        return this.flattener.rows(parseJsonTree(text), before + i + 1, () => text);
      } catch (error) {
        return [new Unreadable(`The record can't be read: ${error.message}.`, raw)];
      }
    });
  }
};
var JsonElements = class {
  constructor(records) {
    this.records = records;
    this.path = records === "" ? [] : records.split(".");
  }
  records;
  buffer = "";
  at = 0;
  start = -1;
  depth = 0;
  tooLong = false;
  /** Within a text of a record that is too long: its beginning is gone already. */
  inText = false;
  levels = [];
  path;
  found = false;
  begun = false;
  count = 0;
  push(text) {
    this.buffer += text;
    const out = [];
    this.scan(out);
    const keep = this.start >= 0 ? this.start : this.at;
    this.buffer = this.buffer.slice(keep);
    this.at -= keep;
    if (this.start >= 0) this.start = 0;
    if (this.start === 0 && this.buffer.length > MAX_RECORD) {
      if (!this.tooLong)
        out.push(
          new Unreadable(
            `The record is longer than ${MAX_RECORD.toLocaleString("en-GB")} characters.`,
            this.buffer.slice(0, 200)
          )
        );
      this.tooLong = true;
      this.inText = this.buffer[this.at] === '"';
      this.buffer = this.inText ? /\\*$/.exec(this.buffer)[0] : this.buffer.slice(this.at);
      this.at = 0;
    } else if (this.buffer.length > MAX_RECORD)
      throw new FormatError(
        `It has a text of more than ${MAX_RECORD.toLocaleString("en-GB")} characters before its first record.`
      );
    this.count += out.length;
    return out;
  }
  end() {
    if (!this.begun) throw new FormatError("There is no JSON in it.");
    if (this.start >= 0 || this.depth > 0 || this.levels.length > 0) {
      if (this.count === 0 && this.start < 0 && !this.found)
        throw new FormatError("The JSON is cut short before its first record.");
      return [new Unreadable("The JSON ends in the middle; the file was cut short.", this.buffer.slice(0, 200))];
    }
    if (!this.found)
      throw new FormatError(
        this.records === "" ? "It holds neither a list nor an object." : `There is no list at \u201C${this.records}\u201D in it; choose another path for the records.`
      );
    return [];
  }
  /** Whether the list that was just opened is the one that is asked for. */
  isWanted() {
    const keys = this.levels.filter((l) => !l.array).map((l) => l.key);
    return keys.length === this.path.length && keys.every((k, i) => k === this.path[i]) && this.levels.length === keys.length;
  }
  scan(out) {
    const { buffer } = this;
    if (this.inText) {
      const end = this.textEnd(0);
      if (end < 0) {
        this.buffer = /\\*$/.exec(buffer)[0];
        return;
      }
      this.inText = false;
      this.at = end;
    }
    while (this.at < buffer.length) {
      const c = buffer.charCodeAt(this.at);
      if (this.start >= 0) {
        if (!this.inside(out)) return;
      } else if (!this.outside(c)) return;
    }
  }
  /** Within an element only depth and texts matter. False: wait for more. */
  inside(out) {
    const { buffer } = this;
    const { length } = buffer;
    let { at, depth } = this;
    for (; at < length; at++) {
      const c = buffer.charCodeAt(at);
      if (c === 34) {
        const end = closingQuote(buffer, at + 1);
        if (end < 0) break;
        at = end;
      } else if (c === 123 || c === 91) depth++;
      else if (c === 125 || c === 93) {
        if (depth > 0) depth--;
        else return this.endElement(at, 0, out);
        if (depth === 0 && this.levels.length === 0) return this.endElement(at + 1, 0, out);
      } else if (c === 44 && depth === 0) return this.endElement(at, 0, out);
    }
    this.at = at;
    this.depth = depth;
    return false;
  }
  endElement(at, depth, out) {
    this.at = at;
    this.depth = depth;
    return this.finish(out);
  }
  finish(out) {
    const text = this.buffer.slice(this.start, this.at).trimEnd();
    if (!this.tooLong && text !== "") out.push(text);
    this.tooLong = false;
    this.start = -1;
    return true;
  }
  /** On the way to the records. */
  outside(c) {
    if (c === 32 || c === 10 || c === 13 || c === 9 || c === 44 || c === 58) {
      this.at++;
      return true;
    }
    const level = this.levels.at(-1);
    if (level?.array && this.found && this.isRecordLevel()) {
      if (c === 93) {
        this.levels.pop();
        this.at++;
      } else {
        this.start = this.at;
        this.depth = 0;
      }
      return true;
    }
    if (this.levels.length === 0) {
      this.begun = true;
      if (c !== 123 && c !== 91)
        throw new FormatError(`It is not JSON: it has \u201C${this.buffer.slice(this.at, this.at + 20)}\u201D outside any list.`);
      if (c === 123 && this.path.length === 0) {
        this.found = true;
        this.start = this.at;
        this.depth = 0;
        return true;
      }
    }
    if (c === 34) {
      const end = this.textEnd();
      if (end < 0) return false;
      let next = end;
      while (next < this.buffer.length && /\s/.test(this.buffer[next])) next++;
      if (next >= this.buffer.length) return false;
      if (level && !level.array && this.buffer[next] === ":") level.key = keyOf(this.buffer.slice(this.at, end));
      this.at = end;
    } else if (c === 123 || c === 91) {
      const wanted = c === 91 && this.isWanted();
      this.levels.push({ array: c === 91, key: null });
      if (this.levels.length > 1e3) throw new FormatError(tooDeep);
      if (wanted) {
        this.found = true;
        this.recordLevel = this.levels.length;
      }
      this.at++;
    } else if (c === 125 || c === 93) {
      this.levels.pop();
      this.at++;
    } else this.at++;
    return true;
  }
  recordLevel = -1;
  isRecordLevel() {
    return this.levels.length === this.recordLevel;
  }
  /** Behind the closing quote of the text that begins here, or -1 when it is not all there yet. */
  textEnd(start = this.at + 1) {
    const end = closingQuote(this.buffer, start);
    return end < 0 ? -1 : end + 1;
  }
};
function closingQuote(text, from) {
  for (let at = from; ; ) {
    const end = text.indexOf('"', at);
    if (end < 0) return -1;
    let backslashes = 0;
    while (end - backslashes > from && text.charCodeAt(end - 1 - backslashes) === 92) backslashes++;
    if (backslashes % 2 === 0) return end;
    at = end + 1;
  }
}
function keyOf(text) {
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
}
function guessRecords(sample) {
  const counts = /* @__PURE__ */ new Map();
  const levels = [];
  let within = -1;
  for (let i = 0; i < sample.length; i++) {
    const c = sample.charCodeAt(i);
    const level = levels.at(-1);
    if (c === 34) {
      let end = i + 1;
      while (end < sample.length && sample.charCodeAt(end) !== 34) end += sample.charCodeAt(end) === 92 ? 2 : 1;
      let next = end + 1;
      while (next < sample.length && /\s/.test(sample[next])) next++;
      if (level && !level.array && sample[next] === ":") level.key = keyOf(sample.slice(i, end + 1));
      i = end;
    } else if (c === 123 || c === 91) {
      if (c === 123 && level?.array && (within < 0 || within === levels.length)) {
        const path = levels.filter((l) => !l.array).map((l) => l.key ?? "");
        if (levels.length === path.length + 1) {
          counts.set(path.join("."), (counts.get(path.join(".")) ?? 0) + 1);
          within = levels.length;
        }
      }
      if (levels.length > 1e3) break;
      levels.push({ array: c === 91, key: null });
    } else if (c === 125 || c === 93) {
      levels.pop();
      if (levels.length < within) within = -1;
    }
  }
  let best = "";
  let most = 0;
  for (const [path, count] of counts) if (count > most) [best, most] = [path, count];
  return best;
}

// packages/core/src/formats/xml.ts
var import_saxes = __toESM(require_saxes(), 1);
var XmlReader = class {
  decoder;
  records;
  flattener;
  number = 0;
  nextRow = 1;
  constructor(format2) {
    this.decoder = new ChunkDecoder(format2.encoding);
    this.records = new XmlRecords(format2.records);
    this.flattener = new Flattener(format2.structures, format2.part, format2.withDoc);
  }
  get names() {
    return this.flattener.names;
  }
  push(bytes) {
    return this.batch(this.records.push(this.decoder.push(bytes)));
  }
  end() {
    return this.batch([...this.records.push(this.decoder.end()), ...this.records.end()]);
  }
  batch(trees) {
    const firstRow = this.nextRow;
    const rows = trees.flatMap((tree) => {
      this.number++;
      return tree instanceof Unreadable ? [tree] : this.flattener.rows(tree, this.number, () => treeJson(tree));
    });
    this.nextRow += rows.length;
    return { firstRow, rows, again: () => rows };
  }
};
var localName = (name) => {
  const colon = name.indexOf(":");
  return colon < 0 ? name : name.slice(colon + 1);
};
var XmlRecords = class {
  constructor(wanted) {
    this.wanted = wanted;
    const { parser } = this;
    refuseDoctype(parser);
    parser.on("error", (error) => {
      if (error instanceof FormatError) throw error;
      throw new XmlFault(error.message);
    });
    parser.on(
      "opentag",
      ({ name, attributes }) => this.openElement(localName(name), attributes)
    );
    parser.on("text", (text) => this.addText(text));
    parser.on("cdata", (text) => this.addText(text));
    parser.on("closetag", () => this.closeElement());
  }
  wanted;
  parser = new import_saxes.SaxesParser({ position: false });
  path = [];
  open = [];
  out = [];
  size = 0;
  tooLong = false;
  damaged = false;
  root = false;
  cut = null;
  push(text) {
    this.out = [];
    if (this.cut !== null) return this.out;
    if (text.includes(DAMAGED)) this.damaged = true;
    try {
      this.parser.write(this.damaged ? text.replaceAll(DAMAGED, "\uFFFD") : text);
    } catch (error) {
      this.stop(error);
    }
    return this.out;
  }
  end() {
    this.out = [];
    if (this.cut === null)
      try {
        this.parser.close();
      } catch (error) {
        this.stop(error);
      }
    if (!this.root && this.out.length === 0) throw new FormatError("There is no XML element in it.");
    return this.out;
  }
  /** Well-formedness ends a reading: what came before counts, and one unreadable record says where it broke off. */
  stop(error) {
    if (!(error instanceof XmlFault)) throw error;
    if (!this.root) throw new FormatError(`It is not XML: ${error.message}.`);
    this.cut = `The XML can't be read on from here: ${error.message}. The rest of the file was not read.`;
    this.out.push(new Unreadable(this.cut, ""));
  }
  openElement(name, attributes) {
    this.root = true;
    this.path.push(name);
    if (this.path.length > MAX_DEPTH) throw new FormatError(tooDeep);
    if (this.open.length === 0) {
      if (this.path.join("/") !== this.wanted) return;
      this.size = 0;
      this.tooLong = false;
    }
    let members = null;
    for (const key in attributes) {
      if (key === "xmlns" || key.startsWith("xmlns:")) continue;
      (members ??= /* @__PURE__ */ new Map()).set(`@${localName(key)}`, attributes[key]);
      this.size += key.length + attributes[key].length;
    }
    this.open.push({ members, text: "" });
  }
  addText(text) {
    const element = this.open.at(-1);
    if (!element) return;
    this.size += text.length + 1;
    if (this.size > MAX_RECORD) this.tooLong = true;
    else element.text += text;
  }
  closeElement() {
    const name = this.path.pop();
    const element = this.open.pop();
    if (!element) return;
    const tree = treeOf(element);
    this.size += name.length;
    const parent = this.open.at(-1);
    if (parent) {
      if (this.size <= MAX_RECORD) addMember(parent.members ??= /* @__PURE__ */ new Map(), name, tree);
      return;
    }
    if (this.tooLong)
      this.out.push(new Unreadable(`The record is longer than ${MAX_RECORD.toLocaleString("en-GB")} characters.`, ""));
    else if (this.damaged && treeJson(tree).includes("\uFFFD"))
      this.out.push(
        new Unreadable("The record has bytes that are not in the file\u2019s encoding.", treeJson(tree).slice(0, 200))
      );
    else this.out.push(tree);
  }
};
var XmlFault = class extends Error {
};
function refuseDoctype(parser) {
  parser.on("doctype", () => {
    throw new FormatError(
      "It has a document type declaration (<!DOCTYPE \u2026>), which can define entities; take it out and read the file again."
    );
  });
}
function treeOf({ members, text }) {
  const trimmed = text.trim();
  if (members === null) return trimmed === "" ? null : trimmed;
  if (trimmed !== "") members.set("", trimmed);
  return members;
}
function addMember(members, name, tree) {
  const before = members.get(name);
  if (before === void 0) members.set(name, tree);
  else if (Array.isArray(before)) before.push(tree);
  else members.set(name, [before, tree]);
}
function xmlEncoding(head) {
  const named = /^\s*<\?xml[^>]*encoding\s*=\s*["']([^"']+)["']/.exec(head)?.[1]?.toLowerCase();
  if (named === void 0 || named === "utf-8" || named === "us-ascii") return named === void 0 ? null : "utf-8";
  if (named === "iso-8859-1" || named === "windows-1252" || named === "latin1") return "windows-1252";
  if (named === "iso-8859-15") return "iso-8859-15";
  if (named.startsWith("utf-16")) return null;
  throw new FormatError(`Its declaration names the encoding ${named}, which can't be read; save it as UTF-8.`);
}
function guessXmlRecords(sample) {
  const repeats = /* @__PURE__ */ new Map();
  const path = [];
  const children = [/* @__PURE__ */ new Map()];
  let root = "";
  const parser = new import_saxes.SaxesParser();
  refuseDoctype(parser);
  parser.on("error", (error) => {
    throw error;
  });
  parser.on("opentag", (tag) => {
    const name = localName(tag.name);
    root ||= name;
    path.push(name);
    if (path.length > MAX_DEPTH) throw new FormatError(tooDeep);
    const siblings = children.at(-1);
    const count = (siblings.get(name) ?? 0) + 1;
    siblings.set(name, count);
    const at = path.join("/");
    if (count > 1) repeats.set(at, (repeats.get(at) ?? 1) + 1);
    children.push(/* @__PURE__ */ new Map());
  });
  parser.on("closetag", () => {
    path.pop();
    children.pop();
  });
  try {
    parser.write(sample);
  } catch (error) {
    if (error instanceof FormatError) throw error;
    if (root === "") throw new FormatError(`It is not XML: ${error.message}.`);
  }
  if (root === "") throw new FormatError("There is no XML element in it.");
  const depth = (at) => at.split("/").length;
  const [best] = [...repeats].sort(([a, m], [b, n]) => depth(a) - depth(b) || n - m);
  return best?.[0] ?? root;
}

// packages/core/src/formats/learn.ts
var LEARN_FROM = 5e3;
function learnNested(kind, sample, encoding, records) {
  const at = records ?? (kind === "json" ? guessRecords(sample) : guessXmlRecords(sample));
  const trees = kind === "json" ? jsonTrees(sample, at) : xmlTrees(sample, at);
  if (trees.length === 0)
    throw new FormatError(
      at === "" ? "There is no whole record in its beginning." : `There is no whole record at \u201C${at}\u201D in its beginning; choose another path for the records.`
    );
  const structures = learnStructures(trees.slice(0, LEARN_FROM));
  return { kind, encoding, records: at, structures, part: "", withDoc: false };
}
function jsonTrees(sample, records) {
  const trees = [];
  let fault = null;
  for (const text of new JsonElements(records).push(sample)) {
    if (text instanceof Unreadable) continue;
    try {
      trees.push(parseJsonTree(text));
    } catch (error) {
      fault ??= error;
    }
  }
  if (trees.length === 0 && fault) throw new FormatError(`Its first record can't be read: ${fault.message}.`);
  return trees;
}
function xmlTrees(sample, records) {
  return new XmlRecords(records).push(sample).filter((t) => !(t instanceof Unreadable));
}

// packages/core/src/formats/delimited.ts
var DelimitedReader = class _DelimitedReader {
  constructor(format2, fields = null) {
    this.format = format2;
    this.fields = fields;
    this.decoder = new ChunkDecoder(format2.encoding);
    this.linesToSkip = format2.skipLines;
    if (!format2.header && fields) this.headerNames = fields;
  }
  format;
  fields;
  decoder;
  buffer = "";
  linesToSkip;
  nextRow = 1;
  rows = [];
  headerNames = null;
  /** Throwing away the rest of a line that is longer than MAX_RECORD. */
  discarding = false;
  /** The known place of the next quote in the buffer; -1: not looked for; Infinity: none. */
  quoteAt = -1;
  /** Something in the buffer can't be text; only then is each row looked at. */
  mayBeDamaged = false;
  /** Field names; null until the first record has been read. */
  get names() {
    return this.headerNames;
  }
  push(bytes) {
    return this.scan(this.decoder.push(bytes), false);
  }
  end() {
    return this.scan(this.decoder.end(), true);
  }
  scan(text, last) {
    this.buffer = this.buffer === "" ? text : this.buffer + text;
    this.mayBeDamaged = this.buffer.includes(DAMAGED) || this.buffer.includes("\0");
    this.quoteAt = -1;
    const again = this.rereader(this.buffer, last);
    this.rows = [];
    const firstRow = this.nextRow;
    let at = 0;
    for (; ; ) {
      const next = this.record(at, last);
      if (next < 0) break;
      at = next;
    }
    this.buffer = at === 0 ? this.buffer : this.buffer.slice(at);
    return { firstRow, rows: this.rows, again };
  }
  /** Reads what lies in the buffer now a second time, with what is known at this place. */
  rereader(text, last) {
    const { headerNames: known, linesToSkip, discarding } = this;
    return () => {
      const reader = new _DelimitedReader({ ...this.format, skipLines: linesToSkip });
      reader.headerNames = known;
      reader.discarding = discarding;
      return reader.scan(text, last).rows;
    };
  }
  /** Reads one record at `at`. Returns where the next begins, or -1 when more text is needed (or nothing is left). */
  record(at, last) {
    const { buffer } = this;
    const { newline, quote } = this.format;
    if (at >= buffer.length) return -1;
    const lineEnd = buffer.indexOf(newline, at);
    if (this.discarding) {
      if (lineEnd < 0) return buffer.length > at ? buffer.length : -1;
      this.discarding = false;
      return lineEnd + 1;
    }
    if (lineEnd < 0 && buffer.length - at > MAX_RECORD) {
      this.unreadable(
        `The line is longer than ${MAX_RECORD.toLocaleString("en-GB")} characters; it can't be a record of this format.`,
        buffer.slice(at, at + 200)
      );
      this.discarding = true;
      return buffer.length;
    }
    if (lineEnd < 0 && !last) return -1;
    const end = lineEnd < 0 ? buffer.length : lineEnd;
    const after = lineEnd < 0 ? buffer.length : lineEnd + 1;
    if (this.linesToSkip > 0) {
      this.linesToSkip--;
      return after;
    }
    if (quote !== "" && this.nextQuote(at) < end) return this.quotedRecord(at, end, after, last);
    const line = buffer.slice(at, newline === "\n" && buffer.charCodeAt(end - 1) === 13 && end > at ? end - 1 : end);
    if (line !== "" || this.headerNames?.length === 1) this.cells(line.split(this.format.delimiter), line);
    return after;
  }
  nextQuote(from) {
    if (this.quoteAt < from) {
      const found = this.buffer.indexOf(this.format.quote, from);
      this.quoteAt = found < 0 ? Infinity : found;
    }
    return this.quoteAt;
  }
  quotedRecord(start, firstEnd, afterFirst, last) {
    const { buffer } = this;
    const { delimiter, quote, newline } = this.format;
    const cells = [];
    let at = start;
    for (; ; ) {
      if (buffer[at] !== quote) {
        let end = at;
        while (end < buffer.length && !buffer.startsWith(delimiter, end) && buffer[end] !== newline) end++;
        if (end >= buffer.length && !last) return this.wait(start, firstEnd, afterFirst);
        const atLineEnd = end >= buffer.length || buffer[end] === newline;
        cells.push(
          buffer.slice(at, atLineEnd && newline === "\n" && end > at && buffer[end - 1] === "\r" ? end - 1 : end)
        );
        if (atLineEnd) return this.finish(cells, start, Math.min(end + 1, buffer.length));
        at = end + delimiter.length;
        continue;
      }
      const cell2 = this.quotedCell(at + 1);
      if (cell2 === null) {
        if (!last) return this.wait(start, firstEnd, afterFirst);
        this.unreadable("A quoted cell that begins in this row has no closing quote.", buffer.slice(start, firstEnd));
        return afterFirst;
      }
      cells.push(cell2.text);
      at = cell2.end;
      if (buffer.startsWith(delimiter, at)) {
        at += delimiter.length;
        continue;
      }
      if (newline === "\n" && buffer[at] === "\r" && (buffer[at + 1] === "\n" || last && at + 1 >= buffer.length))
        at++;
      if (at >= buffer.length) {
        if (!last) return this.wait(start, firstEnd, afterFirst);
        return this.finish(cells, start, at);
      }
      if (buffer[at] === newline) return this.finish(cells, start, at + 1);
      if (!last && buffer.length - at < 2) return this.wait(start, firstEnd, afterFirst);
      this.unreadable(
        "There is text behind the closing quote of a cell; quotes inside a quoted cell are doubled.",
        buffer.slice(start, firstEnd)
      );
      return afterFirst;
    }
  }
  quotedCell(from) {
    const { buffer } = this;
    const { quote } = this.format;
    let at = from;
    let text = "";
    for (; ; ) {
      const close = buffer.indexOf(quote, at);
      if (close < 0 || close + 1 > buffer.length) return null;
      text += buffer.slice(at, close);
      if (buffer[close + 1] !== quote) return { text, end: close + 1 };
      text += quote;
      at = close + 2;
    }
  }
  /** More text is needed, unless the record is already too long: then its first line is given up and the next one is tried. */
  wait(start, firstEnd, afterFirst) {
    if (this.buffer.length - start <= MAX_RECORD) return -1;
    this.unreadable(
      `A quoted cell that begins in this row has no closing quote within ${MAX_RECORD.toLocaleString("en-GB")} characters.`,
      this.buffer.slice(start, Math.min(firstEnd, start + 200))
    );
    return afterFirst;
  }
  finish(cells, start, next) {
    if (next - start > MAX_RECORD)
      this.unreadable(
        `The record is longer than ${MAX_RECORD.toLocaleString("en-GB")} characters.`,
        this.buffer.slice(start, start + 200)
      );
    else this.cells(cells, null);
    this.quoteAt = -1;
    return next;
  }
  unreadable(message, raw) {
    if (this.headerNames === null) throw new FormatError(`The header can't be read: ${message}`);
    this.rows.push(new Unreadable(message, raw.slice(0, 200).replace(DAMAGED, "")));
    this.nextRow++;
  }
  cells(cells, line) {
    if (this.headerNames === null) {
      if (this.format.header) {
        this.headerNames = headerNames(cells);
        if (this.fields) this.expectFields(this.headerNames, this.fields);
        return;
      }
      this.headerNames = cells.map((_, i) => `column_${i + 1}`);
    }
    const width = this.headerNames.length;
    if (cells.length !== width) {
      const text = line ?? cells.join(this.format.delimiter);
      return this.unreadable(
        `The row has ${cells.length === 1 ? "one cell" : `${cells.length} cells`} where ${this.format.header ? "the header has" : "the file should have"} ${width}.`,
        text
      );
    }
    const { emptyIsNull } = this.format;
    for (let i = 0; i < width; i++) {
      const cell2 = cells[i];
      if (cell2 === "") {
        if (emptyIsNull) cells[i] = null;
      } else if (cell2.length > MAX_CELL)
        return this.unreadable(
          `Cell ${this.headerNames[i]} is longer than ${MAX_CELL.toLocaleString("en-GB")} characters.`,
          cell2
        );
    }
    if (this.mayBeDamaged && this.damaged(line ?? cells.join(""))) return;
    this.rows.push(cells);
    this.nextRow++;
  }
  damaged(whole) {
    if (whole.includes(DAMAGED))
      this.unreadable(
        `The row has bytes that are not ${this.format.encoding.toUpperCase()}; choose the file's real encoding or mend the row.`,
        whole
      );
    else if (whole.includes("\0"))
      this.unreadable("The row has a zero byte; the file may be damaged.", whole.replaceAll("\0", "\u2400"));
    else return false;
    return true;
  }
  /** With columns known from elsewhere, the header must still name them. */
  expectFields(found, wanted) {
    const missing = wanted.filter((name) => !found.includes(name));
    if (missing.length > 0)
      throw new FormatError(
        `The header lacks ${missing.map((m) => quoted(m)).join(", ")}; it has ${found.slice(0, 12).map((f) => quoted(f)).join(", ")}${found.length > 12 ? " \u2026" : ""}.`
      );
  }
};
function headerNames(cells) {
  if (cells.length > MAX_COLUMNS)
    throw new FormatError(
      `The header has ${cells.length.toLocaleString("en-GB")} columns; ${MAX_COLUMNS.toLocaleString("en-GB")} is the limit. Is the delimiter right?`
    );
  if (cells.some((c) => c.includes("\0") || c.includes(DAMAGED)))
    throw new FormatError("The header has bytes that are no text in this encoding; choose another encoding.");
  const names = cells.map((cell2, i) => cell2.trim() || `column_${i + 1}`);
  const first = /* @__PURE__ */ new Map();
  for (const [i, name] of names.entries()) {
    const before = first.get(name);
    if (before !== void 0)
      throw new FormatError(
        `The header has two columns called ${quoted(name)} (columns ${before + 1} and ${i + 1}); rename one of them in the file.`
      );
    first.set(name, i);
  }
  return names;
}

// packages/core/src/formats/json-lines.ts
var JsonLinesReader = class {
  constructor(format2, fields = null) {
    this.format = format2;
    this.decoder = new ChunkDecoder(format2.encoding);
    this.known = fields ? [...fields] : [];
    this.knownSet = new Set(this.known);
    this.quick = new FlatObjects(this.known);
    this.fixed = fields !== null;
  }
  format;
  decoder;
  lines = new LineSplitter();
  nextRow = 1;
  known;
  quick;
  fixed;
  knownSet;
  get names() {
    return this.known;
  }
  push(bytes) {
    return this.scan(this.decoder.push(bytes), false);
  }
  end() {
    return this.scan(this.decoder.end(), true);
  }
  scan(text, last) {
    const lines = this.lines.push(text, last);
    const firstRow = this.nextRow;
    this.nextRow += lines.length;
    const again = () => lines.map((line) => typeof line === "string" ? this.row(line) : line);
    return { firstRow, rows: again(), again };
  }
  learn(name) {
    this.known.push(name);
    this.knownSet.add(name);
    this.quick.learn([name]);
  }
  row(line) {
    try {
      const quick = this.quick.read(line);
      if (quick) return quick;
      const object = readFlatObject(line);
      if (!this.fixed) {
        for (const key of object.keys()) if (!this.knownSet.has(key)) this.learn(key);
      }
      const { known } = this;
      const row = new Array(known.length);
      for (let i = 0; i < known.length; i++) row[i] = object.get(known[i]) ?? null;
      return row;
    } catch (error) {
      return new Unreadable(`The line is not a JSON object: ${error.message}.`, line.slice(0, 200));
    }
  }
};
function readFlatObject(json) {
  const members = flatMembers(json);
  if (members === null) throw new Error("a line must be an object in braces");
  return members;
}

// packages/core/src/formats/read.ts
function readerFor(format2, fields = null) {
  switch (format2.kind) {
    case "delimited":
      return new DelimitedReader(format2, fields);
    case "jsonl":
      return new JsonLinesReader(format2, fields);
    case "fixed":
      return new FixedWidthReader(format2);
    case "json":
      return new JsonReader(format2);
    case "xml":
      return new XmlReader(format2);
  }
}
async function* readRows(chunks, reader) {
  for await (const chunk of chunks) {
    const batch = reader.push(chunk);
    if (batch.rows.length > 0) yield batch;
  }
  const last = reader.end();
  if (last.rows.length > 0) yield last;
}
function sampleFields(sample, format2) {
  const reader = readerFor(format2);
  reader.push(sample);
  if (reader.names === null || reader.names.length === 0) reader.end();
  return reader.names ?? [];
}
async function firstBytes(chunks, bytes) {
  const sample = new Uint8Array(bytes);
  let length = 0;
  for await (const chunk of chunks) {
    const part = chunk.subarray(0, bytes - length);
    sample.set(part, length);
    length += part.length;
    if (length === bytes) break;
  }
  return sample.subarray(0, length);
}

// packages/core/src/formats/sniff.ts
var SAMPLE = 64 * 1024;
var NESTED_SAMPLE = 1024 * 1024;
var MARKED_ROWS = 300;
function nestedKind(text, fileName) {
  const name = fileName.toLowerCase().replace(/\.gz$/, "");
  if (/\.(jsonl|ndjson)$/.test(name)) return "jsonl";
  const delimitedName = /\.(csv|tsv|txt)$/.test(name);
  const start = text.trimStart();
  if (start.startsWith("<") && (/^<(\?xml|!--|!DOCTYPE|[A-Za-z_][^\s,;|]*[\s/>])/.test(start) || name.endsWith(".xml")))
    return "xml";
  if (start.startsWith("[") && (name.endsWith(".json") || /^\[\s*[{\]]/.test(start)) && !delimitedName) return "json";
  if (!start.startsWith("{") || delimitedName) return null;
  const firstLine = start.slice(0, start.indexOf("\n") < 0 ? void 0 : start.indexOf("\n"));
  const rest = start.slice(firstLine.length).trimStart();
  if (/\}\s*$/.test(firstLine) && rest.startsWith("{")) return "jsonl";
  if (name.endsWith(".json") || /^\{\s*("|\})/.test(start))
    return rest === "" && !name.endsWith(".json") ? "jsonl" : "json";
  return null;
}
function sniffFormat(sample, fileName) {
  if (sample.length === 0) throw new FormatError(`${fileName} is empty; there is nothing to read.`);
  const { encoding, reason } = sniffEncoding(sample, fileName);
  const text = decodeSample(sample, encoding);
  const name = fileName.toLowerCase().replace(/\.gz$/, "");
  if (text.trim() === "") throw new FormatError(`${fileName} has nothing but blanks; there is nothing to read.`);
  const nested = nestedKind(text, fileName);
  if (nested === "jsonl")
    return { format: { kind: "jsonl", encoding }, reasons: [reason, "each line is a JSON object"] };
  if (nested !== null) return sniffNested(nested, sample, encoding, reason, fileName);
  const fixed = /\.(csv|tsv)$/.test(name) ? null : sniffFixed(text, encoding, reason);
  const newline = text.includes("\n") ? "\n" : text.includes("\r") ? "\r" : "\n";
  const delimiter = sniffDelimiter(text, newline, name);
  if (fixed && (delimiter.score === 0 || delimiter.width < fixed.format.columns.length))
    return withMarks(fixed.format, fixed.reasons, sample);
  const rows = sampleRows(text, newline, delimiter.value, 60);
  const header = looksLikeHeader(rows);
  const format2 = {
    kind: "delimited",
    encoding,
    delimiter: delimiter.value,
    quote: '"',
    newline,
    skipLines: 0,
    header,
    emptyIsNull: true
  };
  const names = header ? "the first row reads like names" : "the first row reads like data";
  return withMarks(format2, [reason, delimiter.reason, names], sample);
}
function withMarks(format2, reasons, sample) {
  try {
    const reader = readerFor(format2);
    const rows = reader.push(sample).rows.slice(0, MARKED_ROWS).filter((r) => !(r instanceof Unreadable));
    const names = reader.names ?? [];
    const columns = names.map((_, i) => rows.map((r) => r[i] ?? ""));
    const found = guessMarks(names, columns);
    return {
      format: found.marks ? { ...format2, marks: found.marks } : format2,
      reasons: [...reasons, ...found.reasons]
    };
  } catch (error) {
    if (error instanceof FormatError) return { format: format2, reasons };
    throw error;
  }
}
function sniffNested(kind, sample, encoding, reason, fileName) {
  const text = decodeText(sample, encoding);
  try {
    const declared = kind === "xml" ? xmlEncoding(text.slice(0, 200)) : null;
    const actual = declared !== null && declared !== encoding && !encoding.startsWith("utf-16") ? declared : encoding;
    const format2 = learnNested(kind, actual === encoding ? text : decodeText(sample, actual), actual);
    const reasons = [
      declared === null ? reason : `${actual === "utf-8" ? "UTF-8" : actual}, as its declaration says`,
      kind === "xml" ? `<${format2.records.split("/").at(-1)}> repeats` : jsonReason(format2.records)
    ];
    if (format2.structures.length > 1)
      reasons.push(
        `inside the records, ${format2.structures.slice(1).map((s) => s.path).join(", ")} can repeat`
      );
    return { format: format2, reasons };
  } catch (error) {
    throw error instanceof FormatError ? new FormatError(`${fileName}: ${error.message}`) : error;
  }
}
function jsonReason(records) {
  return records === "" ? "a list or object at the top" : `the longest list is at ${records}`;
}
function sniffFixed(text, encoding, reason) {
  const lines = text.split(/\r?\n|\r/).filter((l) => l.trim() !== "").slice(0, 400);
  const columns = guessColumns(lines.slice(0, lines.length > 3 ? -1 : void 0));
  return columns === null ? null : {
    format: { kind: "fixed", encoding, skipLines: 0, columns, emptyIsNull: true },
    reasons: [
      reason,
      `lines of about ${lines[0].length} characters, with blanks between ${columns.length} columns`
    ]
  };
}
function sniffEncoding(sample, fileName) {
  const [a, b, c] = sample;
  if (a === 239 && b === 187 && c === 191) return { encoding: "utf-8", reason: "UTF-8 by its byte order mark" };
  if (a === 255 && b === 254)
    return { encoding: "utf-16le", reason: "UTF-16 (little-endian) by its byte order mark" };
  if (a === 254 && b === 255) return { encoding: "utf-16be", reason: "UTF-16 (big-endian) by its byte order mark" };
  let zeros = 0;
  let oddZeros = 0;
  for (let i = 0; i < sample.length; i++)
    if (sample[i] === 0) {
      zeros++;
      if (i % 2 === 1) oddZeros++;
    }
  if (zeros > sample.length / 4) {
    if (oddZeros > zeros * 0.9) return { encoding: "utf-16le", reason: "UTF-16 by its zero bytes" };
    if (oddZeros < zeros * 0.1) return { encoding: "utf-16be", reason: "UTF-16 by its zero bytes" };
  }
  if (a === 80 && b === 75)
    throw new FormatError(`${fileName} is a ZIP archive or a workbook, not text; a workbook's name ends in .xlsx.`);
  if (a === 31 && b === 139)
    throw new FormatError(`${fileName} is packed with gzip, but its name does not say so; add .gz to it.`);
  if (a === 37 && b === 80 && c === 68) throw new FormatError(`${fileName} is a PDF; it holds no records.`);
  if (a === 208 && b === 207)
    throw new FormatError(`${fileName} is a workbook in the old binary form; save it as .xlsx and read that.`);
  if (zeros > 0 && zeros > sample.length / 100)
    throw new FormatError(
      `${fileName} is not a text file: ${zeros.toLocaleString("en-GB")} of its first ${sample.length.toLocaleString("en-GB")} bytes are zero.`
    );
  for (let cut2 = 0; cut2 < 4 && cut2 < sample.length; cut2++) {
    try {
      new TextDecoder("utf-8", { fatal: true }).decode(sample.subarray(0, sample.length - cut2));
      return { encoding: "utf-8", reason: "UTF-8, every byte fits" };
    } catch {
    }
  }
  return damagedUtf8(sample) ? { encoding: "utf-8", reason: "UTF-8, but for a few damaged rows" } : { encoding: "windows-1252", reason: "Windows-1252, as some bytes are not UTF-8" };
}
function damagedUtf8(sample) {
  const text = new TextDecoder("utf-8").decode(sample);
  let broken = 0;
  let whole = 0;
  for (const c of text) {
    if (c === "\uFFFD") broken++;
    else if (c > "\x7F") whole++;
  }
  return whole > broken * 3;
}
function decodeSample(sample, encoding) {
  const text = decodeText(sample, encoding);
  const lastLine = Math.max(text.lastIndexOf("\n"), text.lastIndexOf("\r"));
  return lastLine > 0 && sample.length >= 32768 ? text.slice(0, lastLine + 1) : text;
}
var DELIMITERS = [
  [";", "semicolons"],
  [",", "commas"],
  ["	", "tabs"],
  ["|", "vertical bars"]
];
function sniffDelimiter(text, newline, name) {
  let best = {
    value: name.endsWith(".tsv") ? "	" : ",",
    reason: "one column; no delimiter found",
    score: 0,
    width: 1
  };
  for (const [value, word] of DELIMITERS) {
    const widths = sampleRows(text, newline, value, 60).map((r) => r.length);
    const width = widths[0] ?? 1;
    if (width < 2) continue;
    const same = widths.filter((w) => w === width).length / widths.length;
    const score = same * 10 + Math.min(width, 50) / 10;
    if (same > 0.6 && score > best.score)
      best = {
        value,
        reason: `${word} make ${width} columns in ${Math.round(same * 100)} % of the first rows`,
        score,
        width
      };
  }
  return best;
}
function sampleRows(text, newline, delimiter, limit) {
  const rows = [];
  let cells = [];
  let cell2 = "";
  let inside = false;
  const endCell = () => void (cells.push(cell2.replace(/\r$/, "")), cell2 = "");
  const endRow = () => {
    endCell();
    if (cells.length > 1 || cells[0] !== "") rows.push(cells);
    cells = [];
  };
  for (let i = 0; i < text.length && i < 2e5; i++) {
    const c = text[i];
    if (inside) {
      if (c === '"' && text[i + 1] === '"') cell2 += text[++i];
      else if (c === '"') inside = false;
      else cell2 += c;
    } else if (c === '"' && cell2 === "") inside = true;
    else if (c === delimiter) endCell();
    else if (c === newline) {
      endRow();
      if (rows.length >= limit) return rows;
    } else cell2 += c;
  }
  if (cell2 !== "" || cells.length > 0) endRow();
  return rows;
}
var DATA = /^[-+]?[\d.,:/ -]*\d[\d.,:/ %-]*$/;
function looksLikeHeader(rows) {
  const [first] = rows;
  if (!first) return false;
  const names = first.map((c) => c.trim());
  if (names.some((c) => DATA.test(c)) || names.filter((c) => c === "").length > names.length / 3) return false;
  return new Set(names.filter((c) => c !== "")).size === names.filter((c) => c !== "").length || rows.length > 1;
}

// packages/core/src/formats/xlsx.ts
var import_saxes2 = __toESM(require_saxes(), 1);

// packages/core/src/formats/merged.ts
var MAX_MERGED = 1e5;
async function mergedRanges(sheet, parse2) {
  const decoder = new TextDecoder("latin1");
  const found = [];
  let kept = "";
  for await (const bytes of sheet) {
    const text = kept + decoder.decode(bytes, { stream: true });
    let end = 0;
    if (text.includes("mergeCell "))
      for (const match of text.matchAll(/<(?:\w+:)?mergeCell\s[^>]*?ref="([A-Z0-9:$]+)"[^>]*>/g)) {
        end = match.index + match[0].length;
        if (match[1].includes(":") && found.length < MAX_MERGED) found.push(parse2(match[1]));
      }
    kept = text.slice(Math.max(end, text.length - 200));
  }
  return found;
}
var MergedCells = class {
  byTop;
  open = [];
  next = 0;
  constructor(ranges) {
    this.byTop = [...ranges].sort((a, b) => a.top - b.top);
  }
  fill(number, cells) {
    const { byTop } = this;
    this.open = this.open.filter((o) => o.range.bottom >= number);
    for (; this.next < byTop.length && byTop[this.next].top <= number; this.next++) {
      const range = byTop[this.next];
      const value = range.top === number ? cells[range.left] ?? null : null;
      if (range.bottom >= number) this.open.push({ range, value });
    }
    if (this.open.length === 0) return cells;
    const filled = [...cells];
    for (const { range, value } of this.open)
      for (let column = range.left; column <= range.right; column++) filled[column] = value;
    return Array.from(filled, (cell2) => cell2 ?? null);
  }
};

// packages/core/src/formats/xlsx.ts
var MAX_SHARED = 128 * 1024 * 1024;
var BATCH = 1e3;
var Workbook = class _Workbook {
  constructor(archive, sheets, date1904, dateStyles, shared) {
    this.archive = archive;
    this.sheets = sheets;
    this.date1904 = date1904;
    this.dateStyles = dateStyles;
    this.shared = shared;
  }
  archive;
  sheets;
  date1904;
  dateStyles;
  shared;
  /** Throws FormatError when the archive is no workbook. */
  static async open(archive) {
    if (!archive.names.includes("xl/workbook.xml"))
      throw new FormatError("It is a ZIP archive, but not a workbook; unpack it and read the files in it.");
    const targets = /* @__PURE__ */ new Map();
    await parse(archive, "xl/_rels/workbook.xml.rels", ({ name, attributes: a }) => {
      if (local(name) === "Relationship") targets.set(a["Id"], partPath(a["Target"]));
    });
    const sheets = [];
    let date1904 = false;
    await parse(archive, "xl/workbook.xml", ({ name, attributes: a }) => {
      if (local(name) === "workbookPr") date1904 = a["date1904"] === "1" || a["date1904"] === "true";
      if (local(name) !== "sheet") return;
      const id = Object.entries(a).find(([key]) => local(key) === "id")?.[1];
      const path = targets.get(id ?? "");
      if (path !== void 0 && archive.names.includes(path))
        sheets.push({ name: a["name"] ?? "", hidden: (a["state"] ?? "visible") !== "visible", path });
    });
    if (sheets.length === 0) throw new FormatError("The workbook has no sheets that can be read.");
    return new _Workbook(archive, sheets, date1904, await dateStylesOf(archive), await sharedTexts(archive));
  }
  sheet(name) {
    const found = this.sheets.find((s) => s.name === name);
    if (found) return found;
    throw new FormatError(`There is no sheet \u201C${name}\u201D in it; it has ${this.sheets.map((s) => s.name).join(", ")}.`);
  }
  /** All rows of a sheet as cells by column (0-based); rows that are not stored are left out. */
  async *rows(sheet) {
    const reader = new SheetParser(this.shared, this.dateStyles, this.date1904);
    const decoder = new TextDecoder();
    for await (const bytes of this.archive.read(sheet.path)) {
      reader.write(decoder.decode(bytes, { stream: true }));
      if (reader.rows.length >= BATCH) yield reader.take();
    }
    reader.close();
    if (reader.rows.length > 0) yield reader.take();
  }
  merged(sheet) {
    return mergedRanges(this.archive.read(sheet.path), parseRange);
  }
};
async function* readSheet(workbook, format2) {
  const range = format2.range === null ? null : parseRange(format2.range);
  let skip = format2.skipLines + (format2.header ? 1 : 0);
  let names = format2.header ? null : [];
  let width = range ? range.right - range.left + 1 : 0;
  let firstRow = 1;
  let next = range?.top ?? 1;
  const sheet = workbook.sheet(format2.sheet);
  const merged = format2.mergedRepeat ? new MergedCells(await workbook.merged(sheet)) : null;
  for await (const batch of workbook.rows(sheet)) {
    const rows = [];
    for (const stored of batch) {
      const row = merged ? { number: stored.number, cells: merged.fill(stored.number, stored.cells) } : stored;
      if (range && row.number < range.top) continue;
      if (range && row.number > range.bottom) break;
      skip -= Math.max(0, Math.min(skip - (names === null ? 1 : 0), row.number - next));
      next = row.number + 1;
      const cells = range ? cut(row.cells, range.left, range.right) : row.cells;
      if (skip > 0) {
        skip--;
        if (skip === 0 && names === null) {
          names = headerNames2(cells);
          width = Math.max(width, names.length);
        }
        continue;
      }
      if (cells.every((c) => c === null)) continue;
      const size = names && names.length > 0 ? names.length : Math.max(width, cells.length);
      width = size;
      rows.push(fit(cells, size));
    }
    if (rows.length > 0) {
      yield { firstRow, rows, again: () => rows };
      firstRow += rows.length;
    }
  }
}
function cut(cells, left, right) {
  return fit(cells.slice(left), right - left + 1);
}
function fit(cells, size) {
  return Array.from({ length: size }, (_, i) => cells[i] ?? null);
}
function headerNames2(cells) {
  const used = /* @__PURE__ */ new Set();
  let last = cells.length;
  while (last > 0 && (cells[last - 1] ?? "").trim() === "") last--;
  return cells.slice(0, last).map((cell2, i) => {
    const base = (cell2 ?? "").replace(/\s+/g, " ").trim() || `column_${i + 1}`;
    let name = base;
    for (let n = 2; used.has(name); n++) name = `${base}_${n}`;
    used.add(name);
    return name;
  });
}
function parseRange(text) {
  const found = /^\s*\$?([A-Za-z]{1,3})\$?(\d{1,7})?\s*:\s*\$?([A-Za-z]{1,3})\$?(\d{1,7})?\s*$/.exec(text);
  if (!found) throw new FormatError(`\u201C${text}\u201D is not a range of cells; write it like B4:H200.`);
  const [left, right] = [columnIndex(found[1]), columnIndex(found[3])];
  const range = { left, right, top: Number(found[2] ?? 1), bottom: Number(found[4] ?? 2e6) };
  if (range.right < left || range.bottom < range.top)
    throw new FormatError(`\u201C${text}\u201D ends before it begins; write the upper left cell first.`);
  return range;
}
function columnIndex(letters) {
  let index = 0;
  for (const letter of letters.toUpperCase()) index = index * 26 + letter.charCodeAt(0) - 64;
  return index - 1;
}
var local = (name) => {
  const colon = name.indexOf(":");
  return colon < 0 ? name : name.slice(colon + 1);
};
var partPath = (target) => target.startsWith("/") ? target.slice(1) : `xl/${target.replace(/^\.\//, "")}`;
function xmlParser() {
  const parser = new import_saxes2.SaxesParser({ position: false });
  parser.on("doctype", () => {
    throw new FormatError("A part of the workbook has a document type declaration; such files are not read.");
  });
  parser.on("error", (error) => {
    throw error instanceof FormatError ? error : new FormatError(`A part of the workbook is damaged: ${error.message}.`);
  });
  return parser;
}
async function parse(archive, part, open2) {
  const parser = xmlParser();
  parser.on("opentag", (tag) => open2({ name: tag.name, attributes: tag.attributes }));
  const decoder = new TextDecoder();
  for await (const bytes of archive.read(part)) parser.write(decoder.decode(bytes, { stream: true }));
  parser.close();
}
async function sharedTexts(archive) {
  const part = "xl/sharedStrings.xml";
  if (!archive.names.includes(part)) return [];
  const texts = [];
  let text = "";
  let inside = false;
  let phonetic = 0;
  let size = 0;
  const parser = xmlParser();
  parser.on("opentag", (tag) => {
    const name = local(tag.name);
    if (name === "si") text = "";
    else if (name === "rPh") phonetic++;
    else if (name === "t") inside = phonetic === 0;
  });
  parser.on("text", (piece) => {
    if (inside) text += piece;
  });
  parser.on("closetag", (tag) => {
    const name = local(tag.name);
    if (name === "si") {
      texts.push(unescape(text));
      size += text.length;
      if (size > MAX_SHARED) throw new FormatError("The texts of the workbook are too large to be read.");
    } else if (name === "rPh") phonetic--;
    else if (name === "t") inside = false;
  });
  const decoder = new TextDecoder();
  for await (const bytes of archive.read(part)) parser.write(decoder.decode(bytes, { stream: true }));
  parser.close();
  return texts;
}
function unescape(text) {
  return text.includes("_x") ? text.replace(/_x([0-9A-Fa-f]{4})_/g, (_, hex) => String.fromCharCode(parseInt(hex, 16))) : text;
}
async function dateStylesOf(archive) {
  if (!archive.names.includes("xl/styles.xml")) return [];
  const own = /* @__PURE__ */ new Map();
  const styles = [];
  let inCells = false;
  const parser = xmlParser();
  parser.on("opentag", (tag) => {
    const name = local(tag.name);
    if (name === "numFmt") own.set(Number(tag.attributes["numFmtId"]), tag.attributes["formatCode"] ?? "");
    else if (name === "cellXfs") inCells = true;
    else if (name === "xf" && inCells) styles.push(dateKind(Number(tag.attributes["numFmtId"] ?? 0), own));
  });
  parser.on("closetag", (tag) => {
    if (local(tag.name) === "cellXfs") inCells = false;
  });
  const decoder = new TextDecoder();
  for await (const bytes of archive.read("xl/styles.xml")) parser.write(decoder.decode(bytes, { stream: true }));
  parser.close();
  return styles;
}
function dateKind(id, own) {
  const code = own.get(id);
  if (code === void 0) {
    if (id >= 14 && id <= 17 || id >= 27 && id <= 31 || id === 36 || id >= 50 && id <= 58) return "date";
    if (id >= 18 && id <= 21 || id >= 45 && id <= 47) return "time";
    return id === 22 ? "timestamp" : null;
  }
  const bare = code.replace(/"[^"]*"|\\.|\[(?![hms]+\])[^\]]*\]|_./gi, "").toLowerCase();
  const day = /[dy]/.test(bare);
  const time = /[hs]/.test(bare);
  if (!day && !time) return null;
  return day && time ? "timestamp" : day ? "date" : "time";
}
var SheetParser = class {
  constructor(shared, dates, date1904) {
    this.shared = shared;
    this.dates = dates;
    this.date1904 = date1904;
    const { parser } = this;
    parser.on("opentag", (tag) => {
      const name = local(tag.name);
      if (name === "c") this.openCell(tag.attributes);
      else if (name === "v") this.taking = true;
      else if (name === "t") this.taking = this.phonetic === 0;
      else if (name === "rPh") this.phonetic++;
      else if (name === "row") {
        this.row = tag.attributes["r"] === void 0 ? this.row + 1 : Number(tag.attributes["r"]);
        this.cells = [];
        this.column = -1;
      }
    });
    parser.on("text", (piece) => {
      if (this.taking && this.text.length < MAX_CELL) this.text += piece;
    });
    parser.on("closetag", (tag) => {
      const name = local(tag.name);
      if (name === "c") this.closeCell();
      else if (name === "v" || name === "t") this.taking = false;
      else if (name === "rPh") this.phonetic--;
      else if (name === "row") this.rows.push({ number: this.row, cells: this.cells });
    });
  }
  shared;
  dates;
  date1904;
  rows = [];
  parser = xmlParser();
  cells = [];
  row = 0;
  column = -1;
  type = "n";
  style = 0;
  text = "";
  taking = false;
  phonetic = 0;
  write(text) {
    this.parser.write(text);
  }
  close() {
    this.parser.close();
  }
  take() {
    const { rows } = this;
    this.rows = [];
    return rows;
  }
  openCell(attributes) {
    const place = attributes["r"];
    if (place === void 0) this.column++;
    else {
      let column = 0;
      for (let i = 0; i < place.length; i++) {
        const c = place.charCodeAt(i);
        if (c < 65) break;
        column = column * 26 + c - 64;
      }
      this.column = column - 1;
    }
    if (this.column >= MAX_COLUMNS)
      throw new FormatError(`A row has more than ${MAX_COLUMNS.toLocaleString("en-GB")} columns.`);
    this.type = attributes["t"] ?? "n";
    this.style = Number(attributes["s"] ?? 0);
    this.text = "";
  }
  closeCell() {
    const value = this.value();
    if (value === null) return;
    while (this.cells.length < this.column) this.cells.push(null);
    this.cells[this.column] = value;
  }
  value() {
    const { text } = this;
    switch (this.type) {
      case "s":
        return this.shared[Number(text)] || null;
      case "inlineStr":
      case "str":
        return text === "" ? null : unescape(text);
      case "b":
        return text === "1" ? "true" : text === "0" ? "false" : null;
      case "e":
      case "d":
        return text === "" ? null : text;
      default: {
        if (text === "") return null;
        const kind = this.dates[this.style] ?? null;
        const number = Number(text);
        if (!Number.isFinite(number)) return text;
        return kind === null ? plainNumber(number) : serialText(number, kind, this.date1904);
      }
    }
  }
};
function plainNumber(number) {
  if (Number.isSafeInteger(number)) return String(number);
  const text = String(Number(number.toPrecision(15)));
  if (!text.includes("e")) return text;
  return Math.abs(number) >= 1 ? BigInt(Math.round(number)).toString() : number.toFixed(20).replace(/0+$/, "");
}
function serialText(serial, kind, date1904) {
  let days = Math.floor(serial);
  let seconds = Math.round((serial - days) * 86400);
  if (seconds === 86400) {
    days++;
    seconds = 0;
  }
  const two = (n) => String(n).padStart(2, "0");
  const time = `${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}`;
  if (kind === "time" && days <= 0) return time;
  const unix = date1904 ? days - 24107 : days - (days > 59 ? 25569 : 25568);
  const date2 = new Date(unix * 864e5);
  if (Number.isNaN(date2.getTime()) || serial < 0) return plainNumber(serial);
  const day = date2.toISOString().slice(0, 10);
  return kind === "date" && seconds === 0 ? day : `${day} ${time}`;
}

// packages/core/src/formats/gzip.ts
async function* gunzip(chunks, name) {
  const stream = new DecompressionStream("gzip");
  const writer = stream.writable.getWriter();
  const reader = stream.readable.getReader();
  let feeding = null;
  const fed = (async () => {
    try {
      for await (const chunk of chunks) {
        await writer.ready;
        await writer.write(chunk);
      }
      await writer.close();
    } catch (error) {
      feeding = error;
      await writer.abort(error).catch(() => void 0);
    }
  })();
  try {
    for (; ; ) {
      const { done, value } = await reader.read();
      if (done) break;
      yield value;
    }
    await fed;
  } catch (error) {
    await fed;
    throw new FormatError(
      `${name} can't be unpacked: the gzip data are damaged or cut short (${(feeding ?? error).message}).`
    );
  } finally {
    await reader.cancel().catch(() => void 0);
  }
}

// packages/files/src/archive.ts
import yauzl from "yauzl";
var MAX_PART = 2 * 1024 ** 3;
var SUSPICIOUS = 64 * 1024 ** 2;
var MAX_RATIO = 150;
async function openArchive(path, name) {
  const zip = await new Promise(
    (resolve, reject) => yauzl.open(
      path,
      { lazyEntries: true, autoClose: false, validateEntrySizes: true },
      (error, file) => error ? reject(
        new FormatError(`${name} is not a sound ZIP archive; it may be cut short or damaged (${error.message}).`)
      ) : resolve(file)
    )
  );
  let entries;
  try {
    entries = await listEntries(zip, name);
  } catch (error) {
    zip.close();
    throw error;
  }
  return {
    names: [...entries.keys()],
    read: (part) => unpack(zip, entries.get(part), part, name),
    close: () => zip.close()
  };
}
function listEntries(zip, name) {
  return new Promise((resolve, reject) => {
    const entries = /* @__PURE__ */ new Map();
    zip.on(
      "error",
      (error) => reject(new FormatError(`${name}: its table of contents is damaged (${error.message}).`))
    );
    zip.on("end", () => resolve(entries));
    zip.on("entry", (entry) => {
      entries.set(entry.fileName, entry);
      if (entries.size > 2e4)
        return reject(new FormatError(`${name} holds more than 20,000 parts; no workbook does.`));
      zip.readEntry();
    });
    zip.readEntry();
  });
}
async function* unpack(zip, entry, part, name) {
  if (!entry) throw new FormatError(`${name}: the part ${part} is missing.`);
  const { uncompressedSize: size, compressedSize: packed } = entry;
  if (size > MAX_PART || size > SUSPICIOUS && size > packed * MAX_RATIO)
    throw new FormatError(
      `${name}: ${part} is ${megabytes(packed)} packed and says it is ${megabytes(size)} unpacked; no workbook is like that, so it is not unpacked.`
    );
  const stream = await new Promise(
    (resolve, reject) => zip.openReadStream(
      entry,
      (error, found) => error ? reject(new FormatError(`${name}: ${part} can't be unpacked (${error.message}).`)) : resolve(found)
    )
  );
  try {
    yield* stream;
  } catch (error) {
    if (error instanceof FormatError) throw error;
    throw new FormatError(`${name}: ${part} is damaged or cut short (${error.message}).`);
  }
}
var megabytes = (bytes) => `${(bytes / 1024 ** 2).toLocaleString("en-GB", { maximumFractionDigits: 1 })} MB`;

// packages/files/src/chunks.ts
import { createReadStream } from "node:fs";
import { open } from "node:fs/promises";
import { basename } from "node:path";
var CHUNK = 256 * 1024;
var isGzip = (name) => name.toLowerCase().endsWith(".gz");
function chunksOf(path, name = basename(path)) {
  const raw = createReadStream(path, { highWaterMark: CHUNK });
  return isGzip(name) ? gunzip(raw, name) : raw;
}
async function readSample(path, bytes, name = basename(path)) {
  if (isGzip(name)) return firstBytes(chunksOf(path, name), bytes);
  const file = await open(path);
  try {
    const buffer = new Uint8Array(bytes);
    let length = 0;
    for (; ; ) {
      const { bytesRead } = await file.read(buffer, length, bytes - length, length);
      length += bytesRead;
      if (bytesRead === 0 || length === bytes) return buffer.subarray(0, length);
    }
  } finally {
    await file.close();
  }
}

// packages/files/src/look.ts
import { basename as basename2 } from "node:path";
var isWorkbook = (name) => /\.xls[xm]$/i.test(name);
async function lookAt(path, name = basename2(path), part = null, fixed = null) {
  if (isWorkbook(name)) return lookAtWorkbook(path, name, part, fixed?.kind === "xlsx" ? fixed : null);
  if (/\.(xls|parquet|pdf|docx?)$/i.test(name)) throw new FormatError(`${name}: files of this kind are not read.`);
  let sample = await readSample(path, SAMPLE, name);
  const kind = fixed?.kind ?? nestedKind(new TextDecoder().decode(sample.subarray(0, 4096)), name);
  if ((kind === "json" || kind === "xml") && sample.length === SAMPLE)
    sample = await readSample(path, NESTED_SAMPLE, name);
  const guess = settled(sample, name, fixed);
  const { format: format2 } = guess;
  if (format2.kind !== "json" && format2.kind !== "xml") {
    if (part !== null) throw new FormatError(`${name} has no parts; it can't be read as ${name}/${part}.`);
    return {
      format: format2,
      reasons: guess.reasons,
      fields: sampleFields(sample, format2),
      parts: [],
      lines: firstLines(sample, format2.encoding)
    };
  }
  const parts = format2.structures.filter((s) => s.path !== "").map((s) => ({
    name: s.path,
    description: `repeats inside ${format2.records.split(/[./]/).at(-1) || "the records"}`
  }));
  if (part !== null && !parts.some((p2) => p2.name === part))
    throw new FormatError(
      `${name} has no structure \u201C${part}\u201D; ${parts.length === 0 ? "nothing in it repeats" : `it has ${parts.map((p2) => p2.name).join(", ")}`}.`
    );
  const chosen = { ...format2, part: part ?? "" };
  return { format: chosen, reasons: guess.reasons, fields: sampleFields(sample, chosen), parts, lines: [] };
}
function settled(sample, name, fixed) {
  if (fixed === null || fixed.kind === "xlsx") return sniffFormat(sample, name);
  const reasons = ["settled by a person"];
  const marks = marksOf(fixed);
  if (marks)
    try {
      checkMarks(marks);
    } catch (error) {
      throw new FormatError(`${name}: the dates can\u2019t be written \u201C${marks.dates}\u201D. ${error.message}`);
    }
  if (fixed.kind !== "json" && fixed.kind !== "xml" || fixed.structures.length > 0) return { format: fixed, reasons };
  const text = decodeText(sample, fixed.encoding);
  return { format: learnNested(fixed.kind, text, fixed.encoding, fixed.records), reasons };
}
function firstLines(sample, encoding) {
  return decodeText(sample.subarray(0, 2e4), encoding).split(/\r?\n|\r/).slice(0, 13).map((line) => line.slice(0, 1e3)).slice(0, 12);
}
async function lookAtWorkbook(path, name, part, fixed) {
  const archive = await openArchive(path, name);
  try {
    const workbook = await Workbook.open(archive);
    const parts = workbook.sheets.map((s) => ({ name: s.name, description: s.hidden ? "a hidden sheet" : "a sheet" }));
    const sheet = part ?? fixed?.sheet ?? (workbook.sheets.find((s) => !s.hidden) ?? workbook.sheets[0]).name;
    const { format: format2, reasons } = fixed ? { format: { ...fixed, sheet }, reasons: ["settled by a person"] } : await guessSheet(workbook, sheet);
    const merged = (await workbook.merged(workbook.sheet(sheet))).length;
    if (merged > 0)
      reasons.push(
        `${merged === 1 ? "one range" : `${merged.toLocaleString("en-GB")} ranges`} of cells are merged; ${format2.mergedRepeat ? "each cell has its range\u2019s value" : "the value is that of the first cell, the others are empty"}`
      );
    if (format2.range !== null) parseRange(format2.range);
    return { format: format2, reasons, fields: await sheetFields(workbook, format2), parts, lines: [] };
  } catch (error) {
    throw error instanceof FormatError && !error.message.includes(name) ? new FormatError(`${name}: ${error.message}`) : error;
  } finally {
    archive.close();
  }
}
async function guessSheet(workbook, sheet) {
  const rows = [];
  for await (const batch of workbook.rows(workbook.sheet(sheet))) {
    rows.push(...batch);
    if (rows.length >= 30) break;
  }
  const filled = (cells) => cells.filter((c) => c !== null && c.trim() !== "").length;
  const first = rows.slice(0, 30);
  const widest = Math.max(0, ...first.map((r) => filled(r.cells)));
  const header = first.findIndex((r) => filled(r.cells) >= Math.max(1, widest * 0.8));
  const row = first[header];
  const looksLikeNames = row !== void 0 && first.length > header + 1 && row.cells.every((c) => c === null || !/^[-+]?\d[\d.,:/ -]*$/.test(c.trim())) && new Set(row.cells.filter((c) => c !== null)).size === filled(row.cells);
  const skipLines = row ? row.number - 1 : 0;
  const reasons = [`the sheet \u201C${sheet}\u201D`];
  if (skipLines > 0)
    reasons.push(`${skipLines === 1 ? "one row" : `${skipLines} rows`} above the widest one are taken for titles`);
  reasons.push(looksLikeNames ? "the first row of the table reads like names" : "the first row reads like data");
  return { format: { kind: "xlsx", sheet, range: null, skipLines, header: looksLikeNames }, reasons };
}
async function sheetFields(workbook, format2) {
  if (!format2.header) {
    for await (const batch of readSheet(workbook, format2)) {
      const widths = batch.rows.map((r) => Array.isArray(r) ? r.length : 0);
      return Array.from({ length: Math.max(0, ...widths) }, (_, i) => `column_${i + 1}`);
    }
    throw new FormatError("The sheet has no rows there.");
  }
  const range = format2.range === null ? null : parseRange(format2.range);
  const at = (range?.top ?? 1) + format2.skipLines;
  for await (const batch of workbook.rows(workbook.sheet(format2.sheet)))
    for (const row of batch) {
      if (row.number < at) continue;
      if (row.number > at) throw new FormatError(`Row ${at} of the sheet is empty; it can't be the header.`);
      const cells = range ? row.cells.slice(range.left, range.right + 1) : row.cells;
      const names = headerNames2(cells);
      if (names.length === 0) throw new FormatError(`Row ${at} of the sheet is empty; it can't be the header.`);
      return names;
    }
  throw new FormatError(`The sheet has no row ${at}.`);
}

// packages/files/src/records.ts
async function* recordsOf(path, name, format2, count = () => void 0, fields = null) {
  if (format2.kind !== "xlsx")
    return yield* readRows(
      counted(chunksOf(path, name), count),
      readerFor(format2, format2.kind === "jsonl" ? fields : null)
    );
  const archive = await openArchive(path, name);
  try {
    yield* readSheet(await Workbook.open(archive), format2);
  } finally {
    archive.close();
  }
}
async function* counted(chunks, count) {
  for await (const chunk of chunks) {
    count(chunk.length);
    yield chunk;
  }
}

// bench/_prof.ts
import { writeFileSync, existsSync } from "node:fs";
var N = 4e5;
var cell = (r, c) => `value ${(r * 31 + c * 7) % 9973}`;
var NAMES = Array.from({ length: 12 }, (_, i) => `field_${i + 1}`);
var p = "/tmp/p.jsonl";
if (!existsSync(p)) {
  let s = "";
  for (let r = 0; r < N; r++) s += `{${NAMES.map((n, c) => `"${n}":"${cell(r, c)}"`).join(",")}}
`;
  writeFileSync(p, s);
}
var { format } = await lookAt(p);
for (let k = 0; k < 3; k++) {
  const t = performance.now();
  let n = 0;
  for await (const b of recordsOf(p, "p.jsonl", format)) n += b.rows.length;
  console.log(n, (performance.now() - t | 0) + " ms");
}
/*! Bundled license information:

xmlchars/xml/1.0/ed5.js:
  (**
   * Character classes and associated utilities for the 5th edition of XML 1.0.
   *
   * @author Louis-Dominique Dubeau
   * @license MIT
   * @copyright Louis-Dominique Dubeau
   *)

xmlchars/xml/1.1/ed2.js:
  (**
   * Character classes and associated utilities for the 2nd edition of XML 1.1.
   *
   * @author Louis-Dominique Dubeau
   * @license MIT
   * @copyright Louis-Dominique Dubeau
   *)

xmlchars/xmlns/1.0/ed3.js:
  (**
   * Character class utilities for XML NS 1.0 edition 3.
   *
   * @author Louis-Dominique Dubeau
   * @license MIT
   * @copyright Louis-Dominique Dubeau
   *)
*/
